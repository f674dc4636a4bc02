//! The numbers of a rig, each with its place, to be listed, nudged and written back.
//!
//! There is one visitor, [`Rig::visit`], that goes through a rig in the order of the file format
//! and shows every number with its place and its [`Tunable`]. Listing, changing one number and
//! holding a whole rig within its ranges are that visitor with three different questions; so a
//! number that can be listed can also be nudged and written.
//!
//! A place is the path of keys in the file (`action.slew.from[0].dead-zone`). What stands in the
//! file only once is one number: a step that is repeated by a count, say, is changed in all its
//! repetitions.
//!
//! ```text
//!  action.slew.from[0].dead-zone = 0.12       the place, as in the file
//!         │                    │
//!         │                    └── Tunable: unit, range, step, default, meaning
//!         └── visit() walks here; list, set and hold are three visitors
//! ```

mod combos;
mod place;

pub use place::*;

use crate::base::{ActionId, ComboId, Keyword, Nanos, PollRate, ZoneId};
use crate::device::{ControlRef, DeviceKind};
use crate::spec::tunable::Tunable;
use crate::spec::{
    Combo, CranePart, Curve, CurvePoints, DeadZoneKind, GestureKind, InputSpec, Outline, Quantity,
    Rig, Shape, ShapeUse, Smooth, Space, Stage, StickCentre, Travel, Zone, crosses_itself, tunable,
};
use alloc::{format, vec, vec::Vec};
use strum::VariantArray;

impl Rig {
    /// Every number that the rig states, in the order of the file format.
    ///
    /// Numbers that are in force by their default alone may be among them, such as a limit of a
    /// gesture: a nudge writes them into the file.
    pub fn knobs(&self) -> Vec<Knob> {
        let mut knobs = Vec::new();
        // Visiting changes nothing where the visitor does not.
        self.clone().visit(&mut |place, tunable, value| {
            knobs.push(Knob { place: Place(place.to_vec()), tunable, value: *value });
        });
        knobs
    }

    /// The rig with one number changed, held within its range and what the
    /// numbers beside it allow; the same rig if it has no such number.
    ///
    /// ```
    /// use gtrig_core::{PollRate, Rig};
    ///
    /// let rig = Rig::bare("quay", PollRate::DEFAULT);
    /// let knob = &rig.knobs()[0];
    /// assert_eq!((knob.place.to_string().as_str(), knob.value), ("sampling.poll-hz", 60.0));
    /// assert_eq!(rig.with(&knob.place, 120.0).rate.hz(), 120.0);
    /// assert_eq!(rig.with(&knob.place, 1e9).rate.hz(), knob.tunable.max);
    /// ```
    ///
    /// Numbers that hold each other may move with it: a release that would be above its press
    /// becomes as large as that.
    pub fn with(&self, place: &Place, value: f64) -> Rig {
        let mut rig = self.clone();
        rig.visit(&mut |here, tunable, number| {
            if *here == place.0 {
                *number = value.clamp(tunable.min, tunable.max);
            }
        });
        rig
    }

    /// The rig with one number changed, if everything else can stay as it is.
    ///
    /// `None` where another number would have to move with it, a combo could never be met within
    /// its `all-within`, or the border of a zone would cross itself: the file of such a rig cannot
    /// be read.
    ///
    /// ```
    /// use gtrig_core::{PollRate, Rig};
    ///
    /// let rig = Rig::bare("quay", PollRate::DEFAULT);
    /// let place = &rig.knobs()[0].place;
    /// assert_eq!(rig.with_alone(place, 120.0), Some(rig.with(place, 120.0)));
    /// ```
    pub fn with_alone(&self, place: &Place, value: f64) -> Option<Rig> {
        let rig = self.with(place, value);
        let (before, after) = (self.knobs(), rig.knobs());
        let stays = |(one, other): (&Knob, &Knob)| one.place == *place || one.value == other.value;
        let can_be_met = |combo: &Combo| {
            let least: u64 = combo.steps.iter().map(|step| step.takes_at_least(rig.rate)).sum();
            combo.all.is_none_or(|all| least <= all.nanos(rig.rate))
        };
        let has_border = |zone: &Zone| match &zone.outline {
            Outline::Polygon(corners) => !crosses_itself(corners),
            Outline::Rect { .. } | Outline::Circle { .. } => true,
        };
        let is_sound = before.iter().zip(&after).all(stays)
            && rig.combos.iter().all(can_be_met)
            && rig.zones.iter().all(has_border);
        is_sound.then_some(rig)
    }

    /// The rig with the input of an action calibrated, or the shape that it
    /// shares; axes of `None` stay as they are.
    ///
    /// # Panics
    /// For an action or an input that the rig does not have.
    pub fn calibrated(&self, action: ActionId, input: usize, travel: [Option<Travel>; 2]) -> Rig {
        let mut rig = self.clone();
        let Rig { actions, shapes, .. } = &mut rig;
        if let InputSpec::Axis { shape, .. } | InputSpec::Stick { shape, .. } =
            &mut actions[action.index()].inputs[input]
        {
            let shape = match shape {
                ShapeUse::Own(shape) => shape,
                ShapeUse::Named(at) => &mut shapes[at.index()].shape,
            };
            shape.travel = [0, 1].map(|axis| travel[axis].or(shape.travel[axis]));
        }
        rig
    }

    /// The rig with a zone elsewhere, on the grid of its steps, held within what
    /// its numbers allow.
    ///
    /// ```
    /// use gtrig_core::{Outline, PollRate, Rig, Zone, ZoneId};
    ///
    /// let mut rig = Rig::bare("quay", PollRate::DEFAULT);
    /// let rect = |at: [f32; 2]| Outline::Rect { at, size: [0.25, 0.5] };
    /// rig.zones.push(Zone::new("menu", rect([0.1, 0.1])));
    /// // A hand that drags it leaves it on hundredths.
    /// let moved = rig.with_zone(ZoneId(0), &rect([0.3041, 0.1998]));
    /// assert_eq!(moved.zones[0].outline, rect([0.3, 0.2]));
    /// ```
    pub fn with_zone(&self, zone: ZoneId, outline: &Outline) -> Rig {
        let mut rig = self.clone();
        let Some(of) = rig.zones.get_mut(zone.index()) else { return rig };
        let step = if of.space == Space::Panel { &tunable::RECT } else { &tunable::RECT_UNITS };
        let steps = 1.0 / step.step;
        // By whole numbers, so that the result is one that a person would write.
        let on_grid = |n: f32| (libm::round(f64::from(n) * steps) / steps) as f32;
        of.outline = match outline {
            Outline::Rect { at, size } => {
                Outline::Rect { at: at.map(on_grid), size: size.map(on_grid) }
            }
            Outline::Circle { centre, radius } => {
                Outline::Circle { centre: centre.map(on_grid), radius: on_grid(*radius) }
            }
            Outline::Polygon(corners) => {
                Outline::Polygon(corners.iter().map(|corner| corner.map(on_grid)).collect())
            }
        };
        // The new outline may lie outside of the ranges of its numbers.
        rig.visit(&mut |_, tunable, number| *number = number.clamp(tunable.min, tunable.max));
        rig
    }

    /// Shows every number to `visitor`, which may change it.
    ///
    /// After the visitor has seen the numbers of one thing, they are held to what belongs together:
    /// a release is not above its press, a dead zone leaves a way, a zone has a size. What a combo
    /// takes in all, and whether a border crosses itself, is not held: [`Rig::with_alone`] and the
    /// reader of files look at that.
    fn visit(&mut self, visitor: &mut Visitor) {
        let mut hz = self.rate.hz();
        visitor(&[key("sampling"), key(tunable::POLL_HZ.name)], &tunable::POLL_HZ, &mut hz);
        self.rate = PollRate::from_hz(hz).unwrap_or(self.rate);
        for (n, rule) in self.edges.iter_mut().enumerate() {
            let place = [key("edge"), Selector::At(n)];
            time(visitor, &place, &tunable::DEBOUNCE_MS, 1e6, &mut rule.debounce);
            time(visitor, &place, &tunable::STUCK_AFTER_S, 1e9, &mut rule.stuck_after);
        }
        for named in &mut self.shapes {
            let place = [key("shape"), key(&named.name)];
            travels(visitor, &place, &mut named.shape.travel);
            for (n, stage) in named.shape.stages.iter_mut().enumerate() {
                self::stage(visitor, &joined(&place, [key("stages"), Selector::At(n)]), stage);
            }
        }
        if let Some(camera) = &mut self.surface.camera {
            let place = [key("surface"), key("world")];
            two(visitor, &place, &tunable::CAMERA, &mut camera.at);
            number(visitor, &place, &tunable::ZOOM, &mut camera.zoom);
        }
        for zone in &mut self.zones {
            let place = [key("zone"), key(&zone.name)];
            outline(visitor, &place, zone.space, &mut zone.outline);
        }
        for gesture in &mut self.gestures {
            let place = [key("gesture"), key(&gesture.name)];
            let is_said = gesture.origin.is_none();
            match &mut gesture.kind {
                GestureKind::Stick(StickCentre::Fixed(at)) => {
                    two(visitor, &place, &tunable::AT, at);
                }
                GestureKind::Aim { origin } if is_said => {
                    two(visitor, &place, &tunable::ORIGIN, origin);
                }
                _ => {}
            }
            for &quantity in Quantity::VARIANTS {
                if let Some(mut limit) = gesture.limits.of(quantity) {
                    number(visitor, &place, quantity.tunable_in(gesture.unit), &mut limit);
                    gesture.limits.set(quantity, Some(limit));
                }
            }
        }
        for (combo, id) in self.combos.iter_mut().zip((0..).map(ComboId)) {
            combos::combo(visitor, combo, id);
        }
        combos::follow(&mut self.combos);
        for action in &mut self.actions {
            for (n, input) in action.inputs.iter_mut().enumerate() {
                let place = [key("action"), key(&action.name), key("from"), Selector::At(n)];
                self::input(visitor, &place, input);
            }
        }
        for (part, drive) in CranePart::ALL.iter().copied().zip(&mut self.yard.drives) {
            if let Some(drive) = drive {
                let place = [key("yard"), key(part.word())];
                number(visitor, &place, &tunable::SPEED, &mut drive.speed);
                number(visitor, &place, &tunable::ACCELERATION, &mut drive.acceleration);
                number(visitor, &place, &tunable::BRAKING, &mut drive.braking);
            }
        }
    }
}

/// Is shown a number: its place, what it is, and its value in the unit of its tunable, which it
/// may change.
///
/// It is called in the order of the file format, once for each number that the file states.
type Visitor<'v> = dyn FnMut(&[Selector], &'static Tunable, &mut f64) + 'v;

/// A key as a step of a place.
fn key(key: &str) -> Selector {
    Selector::Key(key.into())
}

/// A place further down.
fn joined<const N: usize>(place: &[Selector], more: [Selector; N]) -> Vec<Selector> {
    place.iter().cloned().chain(more).collect()
}

/// A time that is kept in nanoseconds, shown in a unit of so many of them.
///
/// It is rounded to a nanosecond, and one that was not changed comes back as it was: no time of
/// a rig is so long that its nanoseconds do not fit into the digits of an `f64`.
fn time(
    visitor: &mut Visitor,
    place: &[Selector],
    tunable: &'static Tunable,
    nanos_per_unit: f64,
    time: &mut Option<Nanos>,
) {
    if let Some(time) = time {
        let mut value = time.0 as f64 / nanos_per_unit;
        visitor(&joined(place, [key(tunable.name)]), tunable, &mut value);
        *time = Nanos(libm::round(value * nanos_per_unit) as u64);
    }
}

/// A number that is kept as it is shown.
fn number(visitor: &mut Visitor, place: &[Selector], tunable: &'static Tunable, number: &mut f32) {
    named(visitor, &joined(place, [key(tunable.name)]), tunable, number);
}

/// A number whose place is not the name of its tunable.
///
/// It is written back only where the visitor changed it, so that a look changes no last digit.
fn named(visitor: &mut Visitor, place: &[Selector], tunable: &'static Tunable, number: &mut f32) {
    let shown = shortest(*number);
    let mut value = shown;
    visitor(place, tunable, &mut value);
    if value != shown {
        *number = value as f32;
    }
}

/// The number with the fewest digits that means this one, as a person would write it: 0.12,
/// not 0.11999999731779099.
fn shortest(number: f32) -> f64 {
    // What is printed of a number can be read.
    format!("{number}").parse().unwrap_or(f64::from(number))
}

/// Two numbers of a list, each with a place of its own.
fn two(visitor: &mut Visitor, place: &[Selector], tunable: &'static Tunable, both: &mut [f32; 2]) {
    for (n, part) in both.iter_mut().enumerate() {
        named(visitor, &joined(place, [key(tunable.name), Selector::At(n)]), tunable, part);
    }
}

/// Where a zone is, which a finger can still meet: it has some size, and in
/// shares it begins on the panel.
///
/// Of a polygon each corner is held by itself; nothing asks whether it crosses itself then.
fn outline(visitor: &mut Visitor, place: &[Selector], space: Space, outline: &mut Outline) {
    let (rect, circle, polygon) = match space {
        Space::Panel => (&tunable::RECT, &tunable::CIRCLE, &tunable::POLYGON),
        _ => (&tunable::RECT_UNITS, &tunable::CIRCLE_UNITS, &tunable::POLYGON_UNITS),
    };
    if let Outline::Polygon(corners) = outline {
        for (corner, [x, y]) in corners.iter_mut().enumerate() {
            for (n, number) in [x, y].into_iter().enumerate() {
                let at = [key(polygon.name), Selector::At(corner), Selector::At(n)];
                named(visitor, &joined(place, at), polygon, number);
            }
        }
        return;
    }
    let mut parts = |tunable: &'static Tunable, numbers: &mut [&mut f32]| {
        for (n, number) in numbers.iter_mut().enumerate() {
            named(visitor, &joined(place, [key(tunable.name), Selector::At(n)]), tunable, number);
        }
    };
    let least = rect.step as f32;
    match outline {
        Outline::Rect { at: [left, top], size: [width, height] } => {
            parts(rect, &mut [left, top, width, height]);
            for at in [left, top] {
                let is_outside = space == Space::Panel && *at >= 1.0;
                *at = if is_outside { 1.0 - least } else { *at };
            }
            for size in [width, height] {
                *size = if *size <= 0.0 { least } else { *size };
            }
        }
        Outline::Circle { centre: [x, y], radius } => {
            parts(circle, &mut [x, y, radius]);
            *radius = if *radius <= 0.0 { least } else { *radius };
        }
        Outline::Polygon(_) => {}
    }
}

/// The numbers of a stage, each by the key that the stage has for it. A zone is held open: its
/// outer border stays a hundredth above the inner one.
fn stage(visitor: &mut Visitor, place: &[Selector], stage: &mut Stage) {
    match stage {
        Stage::Offset(by) => two(visitor, place, &tunable::OFFSET, by),
        Stage::Scale(by) => two(visitor, place, &tunable::SCALE, by),
        Stage::DeadZone(zone) => {
            number(visitor, place, &tunable::DEAD_ZONE, &mut zone.inner);
            number(visitor, place, &tunable::OUTER, &mut zone.outer);
            if zone.kind == DeadZoneKind::Sloped {
                number(visitor, place, &tunable::SLOPE, &mut zone.slope);
            }
            zone.outer = zone.outer.max(zone.inner + 0.01);
        }
        Stage::Curve { curve: Curve::Power(n), .. } => {
            number(visitor, place, &tunable::EXPONENT, n);
        }
        Stage::Curve { curve: Curve::Blend(n), .. } => number(visitor, place, &tunable::CUBIC, n),
        Stage::Curve { curve: Curve::S(n), .. } => number(visitor, place, &tunable::STEEPNESS, n),
        Stage::Curve { curve: Curve::Points(points), .. } => self::points(visitor, place, points),
        Stage::Sensitivity(n) => number(visitor, place, &tunable::SENSITIVITY, n),
        Stage::Smooth(Smooth::HalfLife(seconds)) => {
            let mut ms = *seconds * 1000.0;
            number(visitor, place, &tunable::HALF_LIFE_MS, &mut ms);
            *seconds = ms / 1000.0;
        }
        Stage::Smooth(Smooth::Adaptive { steady_hz, follow }) => {
            number(visitor, place, &tunable::STEADY_HZ, steady_hz);
            number(visitor, place, &tunable::FOLLOW, follow);
        }
        Stage::TurnLimit(n) => number(visitor, place, &tunable::TURN_LIMIT, n),
        Stage::Directions { hysteresis, .. } => {
            number(visitor, place, &tunable::HYSTERESIS, hysteresis);
        }
        Stage::Facing(n) => number(visitor, place, &tunable::FACING, n),
        Stage::Invert { .. } | Stage::Swap | Stage::Gate(_) | Stage::Curve { .. } => {}
    }
}

/// The points of a curve between its ends. Those that would not rise stay as they were.
fn points(visitor: &mut Visitor, place: &[Selector], points: &mut CurvePoints) {
    let mut inner: Vec<[f32; 2]> = points.inner().collect();
    for (n, [x, y]) in inner.iter_mut().enumerate() {
        for (axis, number) in [x, y].into_iter().enumerate() {
            let at = [key(tunable::POINTS.name), Selector::At(n), Selector::At(axis)];
            named(visitor, &joined(place, at), &tunable::POINTS, number);
        }
    }
    if let Ok(changed) = CurvePoints::new(&inner) {
        *points = changed;
    }
}

/// The numbers of an input: thresholds where it reads a travel as a button, and those of a shape
/// of its own.
fn input(visitor: &mut Visitor, place: &[Selector], input: &mut InputSpec) {
    match input {
        InputSpec::Button { control, thresholds } if is_analogue(control) => {
            number(visitor, place, &tunable::PRESS_AT, &mut thresholds.press_at);
            number(visitor, place, &tunable::RELEASE_AT, &mut thresholds.release_at);
            thresholds.release_at = thresholds.release_at.min(thresholds.press_at);
        }
        InputSpec::Pointer { counts, .. } => number(visitor, place, &tunable::COUNTS, counts),
        _ => {}
    }
    if let Some(shape) = input.shape_mut() {
        own(visitor, place, shape);
    }
}

/// Whether a control may be other than a button, for which thresholds would
/// mean nothing.
fn is_analogue(control: &ControlRef) -> bool {
    let code = control.code.as_str();
    let has_travel = code.starts_with("trigger-") || code.ends_with("-x") || code.ends_with("-y");
    control.kind == DeviceKind::Other || has_travel || code == "travel"
}

/// What axes read. Numbers that do not rise stay as they were.
///
/// Rest may be at the lower end, as it is of a trigger.
fn travels(visitor: &mut Visitor, place: &[Selector], travels: &mut [Option<Travel>; 2]) {
    for (travel, tunable) in travels.iter_mut().zip([&tunable::CALIBRATE_X, &tunable::CALIBRATE_Y])
    {
        let Some(Travel { min, centre, max }) = travel else { continue };
        let mut numbers = [*min, *centre, *max].map(f64::from);
        for (n, number) in numbers.iter_mut().enumerate() {
            visitor(&joined(place, [key(tunable.name), Selector::At(n)]), tunable, number);
        }
        let [least, rest, most] = numbers.map(|number| libm::round(number) as i32);
        if least <= rest && rest < most {
            (*min, *centre, *max) = (least, rest, most);
        }
    }
}

/// The short form of a shape: its dead zone is a key of the input itself.
fn own(visitor: &mut Visitor, place: &[Selector], shape: &mut ShapeUse) {
    let ShapeUse::Own(Shape { stages, travel }) = shape else { return };
    travels(visitor, place, travel);
    for stage in stages {
        if let Stage::DeadZone(zone) = stage {
            number(visitor, place, &tunable::DEAD_ZONE, &mut zone.inner);
        }
    }
}

/// The places of the numbers that bear on an input of an action: its own, and
/// those of the shape it names.
///
/// `input` is the place of the input among those of the action, from 0; of one that the rig does not
/// have there are none.
///
/// # Panics
/// For an action that the rig does not have.
pub fn places_of(rig: &Rig, action: ActionId, input: usize) -> Vec<Place> {
    let spec = &rig.actions[action.index()];
    let own = vec![key("action"), key(&spec.name), key("from"), Selector::At(input)];
    let shared = match spec.inputs.get(input).and_then(InputSpec::shape) {
        Some(ShapeUse::Named(at)) => Some(vec![key("shape"), key(&rig.shapes[at.index()].name)]),
        _ => None,
    };
    let belongs = |place: &Place| {
        place.0.starts_with(&own) || shared.as_ref().is_some_and(|s| place.0.starts_with(s))
    };
    rig.knobs().into_iter().map(|knob| knob.place).filter(belongs).collect()
}

#[cfg(test)]
mod tests;
