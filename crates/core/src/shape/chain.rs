//! Stages in the order a rig states them, and the same tied together to be run.
//!
//! ```text
//!  stages   invert  gate  dead-zone  curve  sensitivity │ smooth │ turn-limit
//!  steps    └ axes ┘└─────────── length ──────────────┘└ last ┘│ └─ last ─┘
//!           └──────────────────── step 1 ─────────────────────┘  └ step 2 ┘
//! ```
//!
//! Stages that keep the direction work on the length alone: one root, and one multiplication of
//! the vector in the end, however many they are. A chain that is what most rigs have is a single
//! step and is run by a function of its own (`UsualChain`).

mod usual;

use super::stage::{multiplied, on_axes, sign};
use crate::base::{at_most, length, with_length};
use crate::shape::StageMemory;
use crate::spec::{Curve, DeadZone, Stage, StickGate};
use alloc::vec::Vec;
use usual::UsualChain;

/// Stages, tied together: neighbours that can be worked out at once are one
/// step of a run.
///
/// Invariant: the steps give, to the bit, what the stages give one after the
/// other; only arithmetic that is exact was moved from a run to here.
///
/// ```
/// use gtrig_core::{Chain, DeadZone, Stage, StageMemory};
///
/// let stages = [Stage::Invert { x: false, y: true }, Stage::DeadZone(DeadZone::radius(0.2))];
/// let chain = Chain::from(stages.as_slice());
/// let mut memories = vec![StageMemory::default(); chain.memory_count()];
/// // Inside the zone there is rest; at the rim full deflection, y turned over.
/// assert_eq!(chain.run([0.1, 0.1], 0.0, &mut memories).0, [0.0, 0.0]);
/// assert_eq!(chain.run([0.0, 1.0], 0.0, &mut memories).0, [0.0, -1.0]);
/// ```
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Chain {
    /// As the rig states them.
    stages: Vec<Stage>,
    /// The same, tied together.
    steps: Vec<Step>,
    /// How it is run.
    way: Way,
}

/// How a chain is run. The steps are there whichever it is: explanations are given by them.
#[derive(Clone, Debug, Default, PartialEq)]
enum Way {
    /// Step by step.
    #[default]
    Steps,
    /// At once: it is what most rigs have.
    Usual(UsualChain),
    /// The same, after x and y were exchanged.
    Exchanged(UsualChain),
}

/// What is worked out at once: most chains of most rigs are a single step.
#[derive(Clone, Debug, PartialEq)]
struct Step {
    /// What is done to each axis, first.
    axes: AxisMap,
    /// What is done to the length, then.
    length: Option<Length>,
    /// What ends the step.
    last: LastStage,
    /// How many stages it is.
    count: usize,
    /// The place of the memory of the last stage, if it remembers.
    memory: usize,
}

/// What ends a step.
#[derive(Clone, Debug, PartialEq)]
enum LastStage {
    /// Nothing.
    None,
    /// A stage with a memory, such as a filter.
    Remembers(Stage),
    /// A stage without one that fits nowhere else, such as a curve on each axis.
    Forgets(Stage),
}

/// Exchanged or not, then multiplied, then moved.
///
/// `out = (swapped) in * scale + offset`. A stage is taken in only if what it adds does not change
/// what was there: signs may be turned after a scale, for that is exact, but no scale comes upon a
/// scale, for that would round once instead of twice.
#[derive(Clone, Debug, PartialEq)]
struct AxisMap {
    /// Whether x and y are exchanged.
    swap: bool,
    /// What each axis is multiplied by.
    scale: [f32; 2],
    /// What is added to each axis.
    offset: [f32; 2],
    /// How far into that order the stages got.
    reached: u8,
}

/// Stages that keep the direction, in this order, so that the length is worked
/// out once, and the vector once in the end.
#[derive(Clone, Debug, PartialEq)]
struct Length {
    /// No length is more than this; infinite without a gate.
    most: f32,
    /// The zone, of which nothing is cut off by default.
    zone: DeadZone,
    /// The curve; a line by default.
    curve: Curve,
    /// The factor; what was within the unit circle stays there.
    by: f32,
    /// How far into that order the stages got.
    reached: u8,
}

impl AxisMap {
    /// Changes nothing.
    const NONE: AxisMap = AxisMap { swap: false, scale: [1.0; 2], offset: [0.0; 2], reached: 0 };

    /// Takes a stage in. Returns whether it could.
    fn absorb(&mut self, stage: &Stage) -> bool {
        const SWAP: u8 = 1;
        const SCALE: u8 = 2;
        const OFFSET: u8 = 3;
        let place = match *stage {
            Stage::Swap if self.reached < SWAP => {
                self.swap = true;
                SWAP
            }
            // Turning a sign is exact, whatever was multiplied before.
            Stage::Invert { x, y } if self.reached <= SCALE => {
                self.scale = [self.scale[0] * sign(x), self.scale[1] * sign(y)];
                SCALE
            }
            Stage::Scale(by)
                if self.reached <= SCALE && self.scale.iter().all(|part| part.abs() == 1.0) =>
            {
                self.scale = [self.scale[0] * by[0], self.scale[1] * by[1]];
                SCALE
            }
            Stage::Offset(by) if self.reached < OFFSET => {
                self.offset = by;
                OFFSET
            }
            _ => return false,
        };
        self.reached = place;
        true
    }

    /// Both axes of a vector.
    #[inline]
    fn apply(&self, v: [f32; 2]) -> [f32; 2] {
        on_axes(v, self.swap, self.scale, self.offset)
    }
}

impl Length {
    /// Changes nothing.
    const NONE: Length = Length {
        most: f32::INFINITY,
        zone: DeadZone::radius(0.0),
        curve: Curve::Linear,
        by: 1.0,
        reached: 0,
    };

    /// Takes a stage in. Returns whether it could.
    fn absorb(&mut self, stage: &Stage) -> bool {
        const GATE: u8 = 1;
        const ZONE: u8 = 2;
        const CURVE: u8 = 3;
        const BY: u8 = 4;
        if !stage.keeps_direction() {
            return false;
        }
        let place = match stage {
            Stage::Gate(StickGate::Circle) if self.reached < GATE => {
                self.most = 1.0;
                GATE
            }
            Stage::DeadZone(zone) if self.reached < ZONE => {
                self.zone = *zone;
                ZONE
            }
            Stage::Curve { curve, .. } if self.reached < CURVE => {
                self.curve = curve.clone();
                CURVE
            }
            Stage::Sensitivity(by) if self.reached < BY => {
                self.by = *by;
                BY
            }
            _ => return false,
        };
        self.reached = place;
        true
    }

    /// A vector of another length in the same direction.
    #[inline]
    fn apply(&self, v: [f32; 2]) -> [f32; 2] {
        let was = length(v);
        let r = self.zone.on_length(at_most(was, self.most));
        with_length(v, was, multiplied(self.curve.at(r), self.by))
    }
}

impl Step {
    /// A step that does nothing yet.
    const fn new() -> Self {
        Step { axes: AxisMap::NONE, length: None, last: LastStage::None, count: 0, memory: 0 }
    }

    /// Takes a stage in, as the `nth` one that remembers if it does. Returns
    /// whether it could.
    fn absorb(&mut self, stage: &Stage, nth: usize) -> bool {
        let could = if self.last != LastStage::None {
            false
        } else if self.length.is_none() && self.axes.absorb(stage) {
            true
        } else if stage.keeps_direction() {
            self.length.get_or_insert(Length::NONE).absorb(stage)
        } else if stage.is_of_axes() {
            false
        } else {
            self.memory = nth;
            self.last = match stage.has_memory() {
                true => LastStage::Remembers(stage.clone()),
                false => LastStage::Forgets(stage.clone()),
            };
            true
        };
        self.count += usize::from(could);
        could
    }

    /// The value before the last stage.
    #[inline]
    fn before_last(&self, v: [f32; 2]) -> [f32; 2] {
        let v = self.axes.apply(v);
        match &self.length {
            Some(length) => length.apply(v),
            None => v,
        }
    }
}

impl From<&[Stage]> for Chain {
    fn from(stages: &[Stage]) -> Self {
        let mut steps: Vec<Step> = Vec::new();
        let mut remembering = 0;
        for stage in stages {
            if !steps.last_mut().is_some_and(|step| step.absorb(stage, remembering)) {
                let mut step = Step::new();
                step.absorb(stage, remembering);
                steps.push(step);
            }
            remembering += usize::from(stage.has_memory());
        }
        let way = match UsualChain::of(&steps) {
            None => Way::Steps,
            Some(usual) if steps[0].axes.swap => Way::Exchanged(usual),
            Some(usual) => Way::Usual(usual),
        };
        Chain { stages: stages.to_vec(), steps, way }
    }
}

impl Chain {
    /// A chain without stages.
    pub const NONE: &Chain = &Chain { stages: Vec::new(), steps: Vec::new(), way: Way::Steps };

    /// Whether it is worked out at once.
    #[cfg(test)]
    pub(super) fn is_usual(&self) -> bool {
        self.way != Way::Steps
    }

    /// The stages, in order.
    pub fn stages(&self) -> &[Stage] {
        &self.stages
    }

    /// How many memories a run needs: one for each stage that remembers.
    pub fn memory_count(&self) -> usize {
        self.stages.iter().filter(|stage| stage.has_memory()).count()
    }

    /// Runs it over a value; `memories` are those of the stages that remember,
    /// in order, and `dt` the seconds since the tick before. Returns the output
    /// and whether it would go on changing.
    ///
    /// `dt` of 0 looks without moving on: every filter gives its last output. A memory that is missing
    /// leaves its stage out.
    ///
    /// ```
    /// use gtrig_core::{Chain, Smooth, Stage, StageMemory};
    ///
    /// let chain = Chain::from([Stage::Smooth(Smooth::HalfLife(0.1))].as_slice());
    /// let mut memories = vec![StageMemory::default(); chain.memory_count()];
    /// // After one half-life half of the way is made, and it goes on.
    /// let (out, is_moving) = chain.run([1.0, 0.0], 0.1, &mut memories);
    /// assert!((out[0] - 0.5).abs() < 1e-6 && is_moving);
    /// // Looking at it changes nothing.
    /// assert_eq!(chain.run([1.0, 0.0], 0.0, &mut memories).0, out);
    /// ```
    #[inline]
    pub fn run(&self, v: [f32; 2], dt: f32, memories: &mut [StageMemory]) -> ([f32; 2], bool) {
        match &self.way {
            Way::Usual(usual) => usual.run(v, dt, memories),
            _ => self.run_apart(v, dt, memories),
        }
    }

    /// The same of a chain that fewer rigs have: apart, so that a run over the others stays small.
    #[inline(never)]
    fn run_apart(
        &self,
        [x, y]: [f32; 2],
        dt: f32,
        memories: &mut [StageMemory],
    ) -> ([f32; 2], bool) {
        match &self.way {
            Way::Exchanged(usual) => usual.run([y, x], dt, memories),
            _ => self.run_steps([x, y], dt, memories),
        }
    }

    /// A value after all steps, and whether any goes on moving by itself.
    fn run_steps(
        &self,
        mut v: [f32; 2],
        dt: f32,
        memories: &mut [StageMemory],
    ) -> ([f32; 2], bool) {
        let mut is_moving = false;
        for step in &self.steps {
            v = step.before_last(v);
            match &step.last {
                LastStage::None => {}
                LastStage::Forgets(stage) => v = stage.plain(v),
                LastStage::Remembers(stage) => {
                    let Some(memory) = memories.get_mut(step.memory) else { continue };
                    // Called straight away, as the one that most rigs have.
                    let (out, moves) = match stage {
                        Stage::Smooth(smooth) => smooth.step(v, dt, memory),
                        _ => stage.apply(v, dt, memory),
                    };
                    (v, is_moving) = (out, is_moving | moves);
                }
            }
        }
        (finite(v), is_moving)
    }

    /// The same, stage by stage: shows the value after each.
    ///
    /// It gives the same to the bit as [`Chain::run`], and costs more: it is for explanations and
    /// drawings.
    pub fn run_each(
        &self,
        mut v: [f32; 2],
        dt: f32,
        memories: &mut [StageMemory],
        mut after: impl FnMut(&Stage, [f32; 2]),
    ) {
        let mut memories = memories.iter_mut();
        let mut nothing = StageMemory::default();
        let mut stages = self.stages.iter();
        for step in &self.steps {
            // Of stages that keep the direction: what went in, and how long it is
            // by now.
            let mut lengths = None;
            for stage in stages.by_ref().take(step.count) {
                v = if stage.keeps_direction() {
                    let (from, was, r) = lengths.unwrap_or_else(|| (v, length(v), length(v)));
                    let r = stage.on_length(r);
                    lengths = Some((from, was, r));
                    with_length(from, was, r)
                } else {
                    let memory = if stage.has_memory() { memories.next() } else { None };
                    stage.apply(v, dt, memory.unwrap_or(&mut nothing)).0
                };
                after(stage, finite(v));
            }
        }
    }

    /// A value as only the stages have it that turn signs or exchange axes: on the
    /// stick's own scale, but the way a person looks at it.
    ///
    /// A dial is drawn with it, so that up on the screen is up for the hand.
    pub fn turned(&self, v: [f32; 2]) -> [f32; 2] {
        let turns = |stage: &&Stage| matches!(stage, Stage::Invert { .. } | Stage::Swap);
        self.stages.iter().filter(turns).fold(v, |v, stage| stage.plain(v))
    }

    /// What a push from rest comes to, of a hand that then holds still.
    ///
    /// Smoothing and a turn limit come to it in time, and are left out.
    pub fn from_rest(&self, v: [f32; 2]) -> [f32; 2] {
        let after = |v, step: &Step| {
            let v = step.before_last(v);
            match &step.last {
                LastStage::None | LastStage::Remembers(Stage::Smooth(_) | Stage::TurnLimit(_)) => v,
                LastStage::Remembers(stage) => stage.apply(v, 0.0, &mut StageMemory::default()).0,
                LastStage::Forgets(stage) => stage.plain(v),
            }
        };
        finite(self.steps.iter().fold(v, after))
    }
}

/// Nothing here makes another of finite values; an engine must never see one.
///
/// It is the last thing that a chain does, once, and costs one comparison.
#[inline]
fn finite(v: [f32; 2]) -> [f32; 2] {
    let [x, y] = v;
    // 0 times what is not finite is no number.
    if (x * 0.0 + y * 0.0).is_nan() { only_finite(v) } else { v }
}

/// A value that is no number, which no stage should come to, is rest.
#[cold]
fn only_finite(v: [f32; 2]) -> [f32; 2] {
    v.map(|part| if part.is_finite() { part } else { 0.0 })
}
