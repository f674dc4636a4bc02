//! One attempt at a gesture: its fingers, and everything measured of them.
//!
//! Every finger that lands where a gesture listens begins one, and some gestures have fifteen or
//! more under ten fingers. So an attempt with a single finger measures nothing while this moves:
//! it catches up with the [`Track`] of the contact when it is asked. So does one that still lacks
//! a finger, for what is measured of several fingers begins when all of them are there; from then
//! on it measures for itself.
//!
//! Places and lengths are in the unit of the gesture ([`LengthUnit`]), from the top left of the
//! picture, y down. What an attempt *gives* has y up, as game code expects it.
//!
//! How the fingers of a gesture are measured together:
//!
//! | measured | of one finger | of several |
//! |---|---|---|
//! | way, length, slop | from its landing | of their middle, from the last landing |
//! | move | the furthest it ever got | the furthest any got, from the last landing |
//! | path | along all its reports | along those of the first finger |
//! | turn, pinch | none | of the line from the first to the second |
//! | lift, time, speed | from its landing | from the first landing |

mod measured;

use crate::base::{ContactId, ControlId, GestureId, Nanos, Tick, clamp_to_circle, length, minus};
use crate::gesture::{
    BoundGesture, GestureOutcome, GestureVerdict, Landings, Tally, Tap, Track, Tracks,
};
use crate::spec::{
    GestureKind, LengthUnit, MAX_FINGERS, MeasuredFrom, Quantity, StickCentre, SwipeDirections,
};
use crate::touch::{Contact, Landing};
use core::f32::consts::PI;

/// A finger of an attempt; places in the unit of the gesture from the top left, y down.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Finger {
    /// The contact that it is.
    pub(crate) contact: ContactId,
    /// Whether it has been lifted, or went away.
    pub(crate) is_lifted: bool,
    /// When it landed, and as which press of the run.
    pub(crate) landing: Landing,
    /// Where it landed; with several fingers where it was when the last of them landed.
    pub(crate) start: [f32; 2],
    /// Where it is, or was last.
    pub(crate) at: [f32; 2],
}

impl Finger {
    /// What stands in a place that no finger has.
    const NONE: Finger = Finger {
        contact: ContactId(0),
        is_lifted: false,
        landing: Landing { id: 0, time: Nanos(0) },
        start: [0.0; 2],
        at: [0.0; 2],
    };
}

/// How far an attempt has got.
///
/// It only goes forward. An attempt that is ended by another keeps the phase that it had.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum AttemptPhase {
    /// Its limits have not been met yet.
    Trying,
    /// They have, but it waits for other gestures to fail.
    Met,
    /// It has fired.
    Fired,
}

/// One attempt at a gesture.
///
/// With a single finger, where this is, how far it got and its path are those of the
/// last time when the attempt caught up with the track of its contact: see
/// [`GestureAttempt::catch_up`]. Most attempts are asked for them only when they are over. Where
/// the fingers of one that lacks some are is that of the last time, too.
///
/// Invariants: `lifted <= count <= MAX_FINGERS`; `met` is set exactly when the phase is past
/// `Trying`, and `fired` exactly when it is `Fired`; `is_lasting` only with `fired`.
#[derive(Clone, Copy, Debug)]
pub(crate) struct GestureAttempt {
    /// The gesture that it is an attempt at.
    pub(crate) gesture: GestureId,
    /// The panel of all its fingers.
    pub(crate) panel: u16,
    /// The unit of its gesture, in which everything here is measured.
    pub(crate) unit: LengthUnit,
    /// How many of that are a millimetre of the panel.
    per_mm: f32,
    /// How far it has got.
    pub(crate) phase: AttemptPhase,
    /// Its fingers, in the order in which they landed; the first `count` are there.
    fingers: [Finger; MAX_FINGERS],
    /// How many fingers it has so far, at least 1 once it has begun.
    count: u8,
    /// How many of them have been lifted.
    lifted: u8,
    /// Whether it is over: all its fingers have been lifted if it is a tap, or one if
    /// it is anything else.
    pub(crate) is_over: bool,
    /// Whether it is told of every movement of its fingers.
    pub(crate) is_watching: bool,
    /// When time alone may bring it further: of a press, when it has been held for
    /// long enough.
    pub(crate) due: Option<Nanos>,
    /// Of a press of one finger, the last moment that has not been judged yet: one with as much
    /// movement may follow, and says more.
    pub(crate) unjudged: Option<Nanos>,
    /// The last landing.
    complete: Nanos,
    /// Of a single finger, how far it is from where it landed.
    far: f32,
    /// How far any finger got from where it landed.
    moved: f32,
    /// The path of the first finger.
    path: f32,
    /// How far two fingers have turned, in degrees, counter-clockwise.
    turned: f32,
    /// The line from the first finger to the second when the last finger landed.
    line: [f32; 2],
    /// The same line now, or when a finger of it was lifted.
    last_line: [f32; 2],
    /// What a drag, a pinch or a rotation was when it fired, where what it gives is
    /// measured from there: its way, the line between its fingers, how far they had
    /// turned.
    zero: Option<([f32; 2], f32, f32)>,
    /// The velocity with which the finger was lifted, in its unit a second, y up.
    pub(crate) release: [f32; 2],
    /// The centre of a stick, or the origin of an aim.
    pub(crate) centre: [f32; 2],
    /// The size of the surface.
    pub(crate) size: [f32; 2],
    /// Of a sign, in degrees: by what angle the stroke differs from it, and by how much more from
    /// the next best. Before there is a stroke, as bad as can be.
    pub(crate) likeness: [f32; 2],
    /// The best that it came to, limit by limit.
    pub(crate) tally: Tally,
    /// The tick at which all its limits held for the first time.
    pub(crate) met: Option<Tick>,
    /// The tick at which it fired; later than `met` where it waited for other gestures.
    pub(crate) fired: Option<Tick>,
    /// What it gives, y up; see [`GestureKind`] for its meaning and range. While another attempt
    /// gives the value of the gesture, what this one gave when it was last asked.
    pub(crate) value: [f32; 2],
    /// When it was over: when the last finger of a tap was lifted, the first of anything else.
    pub(crate) over: Option<Nanos>,
    /// Whether it fired and went on.
    pub(crate) is_lasting: bool,
    /// The gesture that ended it.
    pub(crate) cancelled_by: Option<GestureId>,
    /// Whether a finger went away without being lifted.
    pub(crate) is_broken: bool,
    /// Of several taps: whether this is only one of too few.
    pub(crate) is_part: bool,
    /// Of several taps: when the first of them landed.
    pub(crate) first_landing: Option<Nanos>,
    /// All its fingers; of several taps those of all of them.
    landings: Landings,
}

impl GestureAttempt {
    /// An attempt without a finger yet, on the panel of a contact.
    pub(crate) fn new(gesture: GestureId, of: &BoundGesture, contact: &Contact) -> Self {
        let per_mm = contact.per_mm(of.unit);
        GestureAttempt {
            gesture,
            panel: contact.panel,
            unit: of.unit,
            per_mm,
            phase: AttemptPhase::Trying,
            fingers: [Finger::NONE; MAX_FINGERS],
            count: 0,
            lifted: 0,
            is_over: false,
            is_watching: of.is_watching,
            due: None,
            unjudged: None,
            complete: Nanos(0),
            far: 0.0,
            moved: 0.0,
            path: 0.0,
            turned: 0.0,
            line: [0.0; 2],
            last_line: [0.0; 2],
            zero: None,
            release: [0.0; 2],
            centre: [0.0; 2],
            size: contact.size.map(|mm| mm * per_mm),
            likeness: [f32::INFINITY, f32::NEG_INFINITY],
            tally: Tally::EMPTY,
            met: None,
            fired: None,
            value: [0.0; 2],
            over: None,
            is_lasting: false,
            cancelled_by: None,
            is_broken: false,
            is_part: false,
            first_landing: None,
            landings: Landings::NONE,
        }
    }

    /// When its first finger landed.
    pub(crate) fn began(&self) -> Nanos {
        self.first_landing.unwrap_or(self.first().landing.time)
    }

    /// Its fingers so far, in the order in which they landed.
    pub(crate) fn fingers(&self) -> &[Finger] {
        &self.fingers[..usize::from(self.count)]
    }

    /// Whether it has a single finger so far.
    #[inline]
    pub(crate) const fn has_one_finger(&self) -> bool {
        self.count == 1
    }

    /// The finger that it began with.
    pub(crate) fn first(&self) -> &Finger {
        &self.fingers[0]
    }

    /// All its fingers; of several taps those of all of them.
    pub(crate) const fn landings(&self) -> &Landings {
        &self.landings
    }

    /// It is the last of a sequence of taps, after these.
    pub(crate) fn continue_taps(&mut self, earlier: &[&Tap]) {
        self.landings = Landings::NONE;
        earlier.iter().for_each(|tap| self.landings.add_all(&tap.fingers));
        for finger in &self.fingers[..usize::from(self.count)] {
            self.landings.add(finger.landing.id);
        }
    }

    /// Whether two attempts have a finger in common: only then do they bear on each other.
    pub(crate) fn shares_with(&self, other: &GestureAttempt) -> bool {
        self.landings.meet(&other.landings)
    }

    /// Whether it has fired.
    pub(crate) fn has_fired(&self) -> bool {
        self.phase == AttemptPhase::Fired
    }

    /// Whether all fingers that its gesture asks for have landed.
    pub(crate) fn is_complete(&self, of: &BoundGesture) -> bool {
        self.count == of.fingers
    }

    /// Whether all fingers that it has were lifted.
    pub(crate) const fn all_lifted(&self) -> bool {
        self.lifted == self.count
    }

    /// Whether a finger that it has was lifted.
    pub(crate) const fn any_lifted(&self) -> bool {
        self.lifted > 0
    }

    /// Whether it is an attempt at all: one of too few fingers or taps is none.
    pub(crate) fn is_told(&self, of: &BoundGesture) -> bool {
        self.is_complete(of) && !self.is_part
    }

    /// A place in millimetres, in the unit of the gesture.
    pub(crate) fn in_unit(&self, place: [f32; 2]) -> [f32; 2] {
        place.map(|mm| mm * self.per_mm)
    }

    /// A place in the unit of the gesture, in millimetres.
    pub(crate) fn in_mm(&self, place: [f32; 2]) -> [f32; 2] {
        place.map(|length| length / self.per_mm)
    }

    /// One more finger lands, at a place in millimetres; the others are where they are now. From
    /// the second one on, what is measured begins anew: only what all of them do together counts.
    pub(crate) fn land(
        &mut self,
        of: &BoundGesture,
        contact: ContactId,
        landing: Landing,
        start: [f32; 2],
    ) {
        let start = self.in_unit(start);
        let finger = Finger { contact, is_lifted: false, landing, start, at: start };
        self.fingers[usize::from(self.count)] = finger;
        self.landings.add(landing.id);
        self.count += 1;
        self.complete = landing.time;
        if self.count > 1 {
            self.is_watching = self.is_complete(of);
            // What is measured of several begins when all are there.
            for finger in &mut self.fingers[..usize::from(self.count)] {
                finger.start = finger.at;
            }
            (self.line, self.turned) = (self.line_now(), 0.0);
            (self.moved, self.path) = (0.0, 0.0);
            self.last_line = self.line;
        }
    }

    /// Takes over how its fingers went on that are still down, if nobody told it.
    pub(crate) fn catch_up_with(&mut self, of: &BoundGesture, tracks: &Tracks) {
        if self.count == 1 && !self.fingers[0].is_lifted {
            self.catch_up(tracks.of(self.fingers[0].contact, self.unit));
        } else if !self.is_complete(of) {
            let fingers = self.fingers[..usize::from(self.count)].iter_mut();
            for finger in fingers.filter(|finger| !finger.is_lifted) {
                finger.at = tracks.of(finger.contact, self.unit).at;
            }
        }
    }

    /// Takes over the track of its only finger.
    pub(crate) fn catch_up(&mut self, track: &Track) {
        self.fingers[0].at = track.at;
        (self.far, self.moved, self.path) = (track.far, track.moved, track.path);
    }

    /// Whether a press may have been held for long enough: as good as `due`, for times are
    /// measured in milliseconds with 24 bits.
    pub(crate) fn is_nearly_due(&self, now: Nanos) -> bool {
        let landed = self.first().landing.time.0;
        self.due.is_some_and(|due| now.0 + 1 + ((due.0 - landed) >> 23) >= due.0)
    }

    /// Whether its only finger got further since then.
    ///
    /// Of a press this is the only way in which its finger can make it worse.
    pub(crate) fn is_behind(&self, track: &Track) -> bool {
        track.moved > self.moved
    }

    /// One of its several fingers is elsewhere, in the unit of the gesture. Only what the gesture
    /// asks for is measured.
    pub(crate) fn move_to(&mut self, of: &BoundGesture, n: usize, at: [f32; 2]) {
        let finger = &mut self.fingers[n];
        if n == 0 && of.needs_path {
            self.path += length(minus(at, finger.at));
        }
        finger.at = at;
        if of.needs_moved {
            self.moved = self.moved.max(length(minus(at, finger.start)));
        }
    }

    /// All of its several fingers are where this tick found them: how the line between the first
    /// two has turned since the last one, by the shorter way.
    ///
    /// Angles are added up, so that a turn of more than half a circle is more than 180 degrees, as
    /// long as no two reports are further apart than that.
    pub(crate) fn turn(&mut self, of: &BoundGesture) {
        if of.needs_line {
            let line = self.line_now();
            if of.needs_turn {
                self.turned += degrees_between(self.last_line, line);
            }
            self.last_line = line;
        }
    }

    /// One of its fingers is lifted. A tap is over with its last finger, anything else with the
    /// first.
    pub(crate) fn lift(&mut self, of: &BoundGesture, n: usize, time: Nanos) {
        let is_tap = matches!(of.kind, GestureKind::Tap { .. });
        self.fingers[n].is_lifted = true;
        self.lifted += 1;
        // Several may be lifted in one tick, in any order.
        self.over = Some(match self.over {
            Some(over) if is_tap => over.max(time),
            Some(over) => over.min(time),
            None => time,
        });
        self.is_over = self.all_lifted() || !is_tap;
    }

    /// From the first finger to the second.
    fn line_now(&self) -> [f32; 2] {
        minus(self.fingers[1].at, self.fingers[0].at)
    }

    /// From where it began to where it is, of the middle of all fingers; y down.
    pub(crate) fn way(&self) -> [f32; 2] {
        let way = |finger: &Finger| minus(finger.at, finger.start);
        if self.count == 1 {
            return way(self.first());
        }
        let sum =
            self.fingers().iter().map(way).fold([0.0; 2], |[x, y], [dx, dy]| [x + dx, y + dy]);
        sum.map(|part| part / f32::from(self.count.max(1)))
    }

    /// How long that is.
    #[inline]
    pub(crate) fn far(&self) -> f32 {
        if self.count == 1 { self.far } else { length(self.way()) }
    }

    /// The same as game code has it: y up.
    pub(crate) fn way_up(&self) -> [f32; 2] {
        let [x, y] = self.way();
        [x, -y]
    }

    /// A verdict without its limits.
    pub(crate) fn verdict(&self, tick: Tick, ended: Nanos, contact: ControlId) -> GestureVerdict {
        let first = self.first();
        GestureVerdict {
            gesture: self.gesture,
            contact,
            fingers: self.count,
            began: self.began(),
            ended,
            tick,
            outcome: GestureOutcome::Missed,
            met: self.met,
            fired: self.fired,
            value: self.value,
            way: [first.start, first.at].map(|place| self.in_mm(place)),
            checks: GestureVerdict::NO_CHECKS,
            check_count: 0,
        }
    }
}

/// A time in milliseconds.
pub(crate) fn millis(nanos: u64) -> f32 {
    (nanos as f64 / 1e6) as f32
}

/// The angle from one line to another on a surface whose y points down, as it
/// looks: counter-clockwise positive, above -180 up to 180.
fn degrees_between(from: [f32; 2], to: [f32; 2]) -> f32 {
    let cross = from[1] * to[0] - from[0] * to[1];
    let dot = from[0] * to[0] + from[1] * to[1];
    libm::atan2f(cross, dot) * (180.0 / PI)
}

#[cfg(test)]
mod tests;
