//! The yard: a crane that moves by the actions of a run, so that a person can
//! feel what the numbers do.
//!
//! Every part is driven by one action. What the action gives is the share of
//! the part's full speed that is wanted; the part gets there by its
//! acceleration, or by its braking where it slows down, and everything is a
//! matter of seconds, not of frames. The same can be done in the usual wrong
//! ways, to see them beside the right one.

use crate::session::Session;
use alloc::vec::Vec;
use gtrig_core::{
    ActionId, CranePart, DeadZone, DeadZoneKind, Drive, Keyword, Rig, Stage, Tick, length,
};

/// How the values of actions become motion: the right way, or a wrong one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MotionRule {
    /// Per second, with what the actions give.
    Right,
    /// So much a frame, by numbers that were tuned at [`TUNED_AT_HZ`].
    PerFrame,
    /// The corners of stick and keys are not held in the unit circle.
    Unclamped,
    /// Every vector is made as long as 1.
    AlwaysNormalised,
    /// What is outside of the dead zone keeps its value, and begins with a jump.
    Unstretched,
}

/// The frame rate at which [`MotionRule::PerFrame`] would have been right.
pub const TUNED_AT_HZ: f32 = 30.0;

impl MotionRule {
    /// Every wrong way, in the order they are offered.
    pub const MISTAKES: [MotionRule; 4] = [
        MotionRule::PerFrame,
        MotionRule::Unclamped,
        MotionRule::AlwaysNormalised,
        MotionRule::Unstretched,
    ];

    /// A few words for it.
    pub const fn words(self) -> &'static str {
        match self {
            MotionRule::Right => "the right way",
            MotionRule::PerFrame => "speed per frame",
            MotionRule::Unclamped => "diagonal not clamped",
            MotionRule::AlwaysNormalised => "length always normalised",
            MotionRule::Unstretched => "dead zone not stretched",
        }
    }

    /// What goes wrong, in a sentence.
    pub const fn meaning(self) -> &'static str {
        match self {
            MotionRule::Right => "metres and degrees a second, whatever the poll rate",
            MotionRule::PerFrame => "tuned at 30 Hz, faster on every faster machine",
            MotionRule::Unclamped => "both at once are up to 1.41 times as fast as either alone",
            MotionRule::AlwaysNormalised => "there is no slow: the least push is full speed",
            MotionRule::Unstretched => "slow is out of reach: motion begins with a jump",
        }
    }

    /// The rig whose actions make this mistake; `None` where those of `rig` do
    /// and motion is what goes wrong, if anything.
    pub fn rig(self, rig: &Rig) -> Option<Rig> {
        let mut wrong = rig.clone();
        match self {
            MotionRule::Right | MotionRule::PerFrame | MotionRule::AlwaysNormalised => return None,
            MotionRule::Unclamped => {
                wrong.actions.iter_mut().for_each(|action| action.clamp = false);
                // A gate would clamp too.
                wrong.each_chain(|stages| stages.retain(|s| !matches!(s, Stage::Gate(_))));
            }
            MotionRule::Unstretched => wrong.each_chain(|stages| {
                for stage in stages {
                    if let Stage::DeadZone(zone @ DeadZone { kind: DeadZoneKind::Radius, .. }) =
                        stage
                    {
                        zone.kind = DeadZoneKind::Cut;
                    }
                }
            }),
        }
        Some(wrong)
    }
}

/// The crane at a tick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crane {
    /// Where each part is, in the order of [`CranePart`].
    pub at: [f32; 4],
    /// How fast each part is, in units a second.
    pub velocity: [f32; 4],
    /// Whether the grip is closed.
    pub is_gripping: bool,
}

impl Crane {
    /// A crane at its stand.
    pub const AT_STAND: Crane = Crane {
        at: [
            CranePart::Slew.stand(),
            CranePart::Trolley.stand(),
            CranePart::Hoist.stand(),
            CranePart::View.stand(),
        ],
        velocity: [0.0; 4],
        is_gripping: false,
    };

    /// The hook seen from above, in metres from the tower: along the quay, and
    /// out over the water.
    pub fn hook(&self) -> [f32; 2] {
        let [slew, trolley, ..] = self.at;
        let angle = slew.to_radians();
        [trolley * libm::sinf(angle), trolley * libm::cosf(angle)]
    }

    /// How fast the hook goes over ground, in metres a second.
    pub fn hook_speed(&self) -> f32 {
        let around = self.velocity[0].to_radians() * self.at[1];
        length([around, self.velocity[1]])
    }

    /// Moves it on by `dt` seconds; `wanted` is the share of its full speed for
    /// each part.
    pub fn step(&mut self, drives: &[Option<Drive>; 4], wanted: [f32; 4], dt: f32) {
        for (n, part) in CranePart::ALL.iter().copied().enumerate() {
            let Some(drive) = drives[n] else { continue };
            let was = self.velocity[n];
            let now = towards(&drive, was, wanted[n] * drive.speed, dt);
            let (least, most) = part.range();
            // The mean of both is exact while the speed changes evenly.
            let at = self.at[n] + (was + now) / 2.0 * dt;
            self.at[n] = at.clamp(least, most);
            self.velocity[n] = if (least..=most).contains(&at) { now } else { 0.0 };
        }
    }
}

/// The speed of a part after `dt` seconds on the way from `was` to `wanted`. On the
/// way through rest it first brakes, then accelerates.
fn towards(drive: &Drive, was: f32, wanted: f32, dt: f32) -> f32 {
    let mut left = dt;
    let mut now = was;
    let is_slowing = was != 0.0 && (was * wanted <= 0.0 || wanted.abs() < was.abs());
    if is_slowing {
        let target = if was * wanted > 0.0 { wanted } else { 0.0 };
        let needed = (was - target).abs() / drive.braking;
        if needed >= left {
            return was + (drive.braking * left).copysign(target - was);
        }
        left -= needed;
        now = target;
    }
    let most = drive.acceleration * left;
    now + (wanted - now).clamp(-most, most)
}

/// Ticks between two cranes that are kept.
const KEPT: u32 = 256;

/// The crane over the whole history of a session: worked out once, looked at
/// anywhere.
///
/// It belongs to one session and one rig; another rig needs a
/// new one.
#[derive(Clone, Debug)]
pub struct CraneTrack {
    way: MotionRule,
    begins: Tick,
    /// The crane before tick `begins + n * KEPT`.
    kept: Vec<Crane>,
    /// Before tick `next`.
    crane: Crane,
    next: Tick,
}

impl CraneTrack {
    /// A crane at its stand when the history of `session` begins.
    pub fn new(session: &Session, way: MotionRule) -> Self {
        let begins = session.history().begins();
        CraneTrack { way, begins, kept: Vec::new(), crane: Crane::AT_STAND, next: begins }
    }

    /// Works out at most `most` ticks more. Returns whether it is up to date.
    pub fn catch_up(&mut self, session: &Session, most: u32) -> bool {
        let last = session.now().at();
        for _ in 0..most {
            if self.next > last {
                return true;
            }
            if (self.next.0 - self.begins.0).is_multiple_of(KEPT) {
                self.kept.push(self.crane);
            }
            move_on(&mut self.crane, session, self.way, self.next);
            self.next = self.next.next();
        }
        self.next > last
    }

    /// The crane after the last `count` ticks up to `tick`, as far as they are
    /// worked out, in order.
    pub fn until(&self, session: &Session, tick: Tick, count: u32) -> Vec<Crane> {
        let end = tick.next().min(self.next);
        let first = Tick(end.0.saturating_sub(count).max(self.begins.0));
        let nth = (first.0.saturating_sub(self.begins.0) / KEPT) as usize;
        let Some(kept) = self.kept.get(nth) else { return Vec::new() };
        let mut crane = *kept;
        let mut cranes = Vec::with_capacity(count as usize);
        for at in self.begins.0 + nth as u32 * KEPT..end.0 {
            move_on(&mut crane, session, self.way, Tick(at));
            if at >= first.0 {
                cranes.push(crane);
            }
        }
        cranes
    }
}

/// Runs one tick.
fn move_on(crane: &mut Crane, session: &Session, way: MotionRule, tick: Tick) {
    let yard = &session.rig().yard;
    let value = |(action, axis): (ActionId, usize)| {
        session.history().action_lanes(action)[axis].value_at(tick)
    };
    let wanted = yard.drives.map(|drive| {
        let Some(Drive { by, .. }) = drive else { return 0.0 };
        if way == MotionRule::AlwaysNormalised {
            let r = length([value((by.0, 0)), value((by.0, 1))]);
            return if r > 0.0 { value(by) / r } else { 0.0 };
        }
        value(by)
    });
    let dt = if way == MotionRule::PerFrame {
        1.0 / TUNED_AT_HZ
    } else {
        session.plan().rate().period_seconds()
    };
    crane.step(&yard.drives, wanted, dt);
    crane.is_gripping = yard.grip.is_some_and(|grip| value((grip, 0)) != 0.0);
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{ActionId, Drive};
    use proptest::prelude::*;
    use rstest::rstest;

    fn drive() -> Drive {
        Drive { by: (ActionId(0), 0), speed: 10.0, acceleration: 5.0, braking: 20.0 }
    }

    #[rstest]
    #[case::speeds_up(0.0, 10.0, 0.5, 2.5)]
    #[case::arrives(8.0, 10.0, 1.0, 10.0)]
    #[case::brakes(10.0, 0.0, 0.25, 5.0)]
    #[case::brakes_to_less(10.0, 4.0, 1.0, 4.0)]
    #[case::through_rest(2.0, -10.0, 0.3, -1.0)]
    #[case::backwards(-4.0, -6.0, 0.2, -5.0)]
    fn speeds_by_hand(#[case] was: f32, #[case] wanted: f32, #[case] dt: f32, #[case] now: f32) {
        let found = towards(&drive(), was, wanted, dt);
        assert!((found - now).abs() < 1e-5, "{found}");
    }

    #[test]
    fn a_part_stops_at_its_ends() {
        let mut crane = Crane::AT_STAND;
        let drives = [None, Some(drive()), None, None];
        for _ in 0..600 {
            crane.step(&drives, [0.0, 1.0, 0.0, 0.0], 1.0 / 60.0);
        }
        assert_eq!((crane.at[1], crane.velocity[1]), (40.0, 0.0));
        assert_eq!(crane.hook_speed(), 0.0);
    }

    #[test]
    fn to_the_right_is_clockwise() {
        let mut crane = Crane::AT_STAND;
        assert_eq!(crane.hook(), [0.0, 23.0]);
        crane.at[0] = 90.0;
        let [x, y] = crane.hook();
        assert!((x - 23.0).abs() < 1e-4 && y.abs() < 1e-4);
    }

    proptest! {
        /// The same hand moves the crane as far at any rate, but for the kinks
        /// within a step.
        #[test]
        fn motion_is_a_matter_of_seconds(
            hand in prop::collection::vec(-1.0f32..1.0, 1..6), hz in prop::sample::select([30.0f32, 60.0, 240.0].as_slice()),
        ) {
            let go = |hz: f32| {
                let mut crane = Crane::AT_STAND;
                for &wanted in &hand {
                    for _ in 0..(hz / 2.0) as u32 {
                        crane.step(&[Some(drive()), None, None, None], [wanted, 0.0, 0.0, 0.0], 1.0 / hz);
                    }
                }
                crane.at[0]
            };
            prop_assert!((go(hz) - go(960.0)).abs() < 0.5, "{} {}", go(hz), go(960.0));
        }
    }
}
