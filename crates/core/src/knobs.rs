//! The numbers of a rig, each with its place, to be listed, nudged and written
//! back.

use crate::{
    ControlRef, DeviceKind, InputSpec, Nanos, PollRate, Rig, Shape, ShapeUse,
    shape::{Curve, Smooth, Stage, ZoneKind},
    tunable::{self, Tunable},
};
use alloc::{format, string::String, vec, vec::Vec};

/// A step on the way from the root of a rig file to a value.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Step {
    /// An entry of a table.
    Key(String),
    /// An entry of an array; a value that is no array is its own entry 0.
    At(usize),
}

/// Where a number stands in a rig file.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place(pub Vec<Step>);

/// `action.slew.from[0].dead-zone`
impl core::fmt::Display for Place {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        for (n, step) in self.0.iter().enumerate() {
            match step {
                Step::Key(key) if n == 0 => f.write_str(key)?,
                Step::Key(key) => write!(f, ".{key}")?,
                Step::At(at) => write!(f, "[{at}]")?,
            }
        }
        Ok(())
    }
}

/// A number of a rig.
#[derive(Clone, Debug, PartialEq)]
pub struct Knob {
    /// Where it stands.
    pub place: Place,
    /// Its unit, range, step and meaning.
    pub tunable: &'static Tunable,
    /// What it is, in the unit of its tunable.
    pub value: f64,
}

impl Rig {
    /// Every number that the rig states, in the order of the file format.
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
    pub fn with(&self, place: &Place, value: f64) -> Rig {
        let mut rig = self.clone();
        rig.visit(&mut |here, tunable, number| {
            if *here == place.0 {
                *number = value.clamp(tunable.min, tunable.max);
            }
        });
        rig
    }

    /// Shows every number to `visitor`, which may change it.
    fn visit(&mut self, visitor: &mut Visitor) {
        let mut hz = self.rate.hz();
        visitor(&[key("sampling"), key(tunable::POLL_HZ.name)], &tunable::POLL_HZ, &mut hz);
        self.rate = PollRate::from_hz(hz).unwrap_or(self.rate);
        for (n, rule) in self.edges.iter_mut().enumerate() {
            let at = |tunable: &Tunable| [key("edge"), Step::At(n), key(tunable.name)];
            time(
                visitor,
                &at(&tunable::DEBOUNCE_MS),
                &tunable::DEBOUNCE_MS,
                1e6,
                &mut rule.debounce,
            );
            time(
                visitor,
                &at(&tunable::STUCK_AFTER_S),
                &tunable::STUCK_AFTER_S,
                1e9,
                &mut rule.stuck_after,
            );
        }
        for named in &mut self.shapes {
            let place = [key("shape"), key(&named.name), key("stages")];
            for (n, stage) in named.shape.stages.iter_mut().enumerate() {
                self::stage(visitor, &joined(&place, [Step::At(n)]), stage);
            }
        }
        for action in &mut self.actions {
            for (n, input) in action.inputs.iter_mut().enumerate() {
                let place = [key("action"), key(&action.name), key("from"), Step::At(n)];
                self::input(visitor, &place, input);
            }
        }
    }
}

type Visitor<'v> = dyn FnMut(&[Step], &'static Tunable, &mut f64) + 'v;

fn key(key: &str) -> Step {
    Step::Key(key.into())
}

fn joined<const N: usize>(place: &[Step], more: [Step; N]) -> Vec<Step> {
    place.iter().cloned().chain(more).collect()
}

fn time(
    visitor: &mut Visitor,
    place: &[Step],
    tunable: &'static Tunable,
    nanos_per_unit: f64,
    time: &mut Option<Nanos>,
) {
    if let Some(time) = time {
        let mut value = time.0 as f64 / nanos_per_unit;
        visitor(place, tunable, &mut value);
        *time = Nanos(libm::round(value * nanos_per_unit) as u64);
    }
}

fn number(visitor: &mut Visitor, place: &[Step], tunable: &'static Tunable, number: &mut f32) {
    named(visitor, &joined(place, [key(tunable.name)]), tunable, number);
}

/// A number whose place is not the name of its tunable.
fn named(visitor: &mut Visitor, place: &[Step], tunable: &'static Tunable, number: &mut f32) {
    // As a person would write it: 0.12, not 0.11999999731779099.
    let shown = libm::round(f64::from(*number) * 1e6) / 1e6;
    let mut value = shown;
    visitor(place, tunable, &mut value);
    if value != shown {
        *number = value as f32;
    }
}

fn two(visitor: &mut Visitor, place: &[Step], tunable: &'static Tunable, both: &mut [f32; 2]) {
    for (n, part) in both.iter_mut().enumerate() {
        named(visitor, &joined(place, [key(tunable.name), Step::At(n)]), tunable, part);
    }
}

fn stage(visitor: &mut Visitor, place: &[Step], stage: &mut Stage) {
    match stage {
        Stage::Offset(by) => two(visitor, place, &tunable::OFFSET, by),
        Stage::Scale(by) => two(visitor, place, &tunable::SCALE, by),
        Stage::DeadZone(zone) => {
            number(visitor, place, &tunable::DEAD_ZONE, &mut zone.inner);
            number(visitor, place, &tunable::OUTER, &mut zone.outer);
            if zone.kind == ZoneKind::Sloped {
                number(visitor, place, &tunable::SLOPE, &mut zone.slope);
            }
            zone.outer = zone.outer.max(zone.inner + 0.01);
        }
        Stage::Curve { curve: Curve::Power(n), .. } => {
            number(visitor, place, &tunable::EXPONENT, n);
        }
        Stage::Curve { curve: Curve::Blend(n), .. } => number(visitor, place, &tunable::CUBIC, n),
        Stage::Curve { curve: Curve::S(n), .. } => number(visitor, place, &tunable::STEEPNESS, n),
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

fn input(visitor: &mut Visitor, place: &[Step], input: &mut InputSpec) {
    match input {
        InputSpec::Button { control, thresholds } if is_analogue(control) => {
            number(visitor, place, &tunable::PRESS_AT, &mut thresholds.press_at);
            number(visitor, place, &tunable::RELEASE_AT, &mut thresholds.release_at);
            thresholds.release_at = thresholds.release_at.min(thresholds.press_at);
        }
        InputSpec::Pointer { counts, shape, .. } => {
            number(visitor, place, &tunable::COUNTS, counts);
            own(visitor, place, shape);
        }
        InputSpec::Axis { shape, .. } | InputSpec::Stick { shape, .. } => {
            own(visitor, place, shape);
        }
        InputSpec::Button { .. } | InputSpec::Pair { .. } | InputSpec::Cross(_) => {}
    }
}

/// Whether a control may be other than a button, for which thresholds would
/// mean nothing.
fn is_analogue(control: &ControlRef) -> bool {
    let code = control.code.as_str();
    let has_travel = code.starts_with("trigger-") || code.ends_with("-x") || code.ends_with("-y");
    control.kind == DeviceKind::Other || has_travel || code == "travel"
}

/// The short form of a shape: its dead zone is a key of the input itself.
fn own(visitor: &mut Visitor, place: &[Step], shape: &mut ShapeUse) {
    let ShapeUse::Own(Shape { stages, .. }) = shape else { return };
    for stage in stages {
        if let Stage::DeadZone(zone) = stage {
            number(visitor, place, &tunable::DEAD_ZONE, &mut zone.inner);
        }
    }
}

/// The places of the numbers that bear on an input of an action: its own, and
/// those of the shape it names.
pub fn places_of(rig: &Rig, action: usize, input: usize) -> Vec<Place> {
    let spec = &rig.actions[action];
    let own = vec![key("action"), key(&spec.name), key("from"), Step::At(input)];
    let shape = match spec.inputs.get(input) {
        Some(
            InputSpec::Axis { shape, .. }
            | InputSpec::Stick { shape, .. }
            | InputSpec::Pointer { shape, .. },
        ) => Some(shape),
        _ => None,
    };
    let shared = match shape {
        Some(ShapeUse::Named(at)) => Some(vec![key("shape"), key(&rig.shapes[*at].name)]),
        _ => None,
    };
    let belongs = |place: &Place| {
        place.0.starts_with(&own) || shared.as_ref().is_some_and(|s| place.0.starts_with(s))
    };
    rig.knobs().into_iter().map(|knob| knob.place).filter(belongs).collect()
}

impl Knob {
    /// The name to show beside its value: the last words of its place.
    pub fn label(&self) -> String {
        match self.place.0.as_slice() {
            [.., Step::At(stage), Step::Key(key)] => format!("{}: {key}", stage + 1),
            [.., Step::Key(key), Step::At(axis)] => {
                format!("{key} {}", if *axis == 0 { "x" } else { "y" })
            }
            _ => format!("{}", self.place),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{ActionSpec, Combine, Gives, NamedShape, shape::DeadZone};
    use std::string::ToString;

    fn rig() -> Rig {
        let stages =
            vec![Stage::DeadZone(DeadZone::radius(0.12)), Stage::Smooth(Smooth::HalfLife(0.02))];
        let shape = Shape { travel: [None; 2], stages };
        let own =
            Shape { stages: vec![Stage::DeadZone(DeadZone::radius(0.08))], ..Shape::default() };
        let stick = |shape| InputSpec::Stick { stick: "pad/stick-l".parse().unwrap(), shape };
        let action = ActionSpec {
            name: "slew".into(),
            gives: Gives::Plane,
            inputs: vec![stick(ShapeUse::Named(0)), stick(ShapeUse::Own(own))],
            combine: Combine::Strongest,
            clamp: true,
            main_only: false,
            closed_while: Vec::new(),
            open_while: Vec::new(),
        };
        let mut rig = Rig::bare("t", PollRate::DEFAULT);
        rig.shapes = vec![NamedShape { name: "worn".into(), shape }];
        rig.actions = vec![action];
        rig
    }

    #[test]
    fn every_number_is_listed_with_its_place() {
        let listed: Vec<(String, f64)> =
            rig().knobs().into_iter().map(|k| (k.place.to_string(), k.value)).collect();
        let expected = [
            ("sampling.poll-hz", 60.0),
            ("shape.worn.stages[0].dead-zone", 0.12),
            ("shape.worn.stages[0].outer", 1.0),
            ("shape.worn.stages[1].half-life-ms", 20.0),
            ("action.slew.from[1].dead-zone", 0.08),
        ];
        assert_eq!(listed, expected.map(|(place, value)| (place.to_string(), value)));
    }

    #[test]
    fn a_number_can_be_set_and_is_held_in_its_range() {
        let rig = rig();
        for knob in rig.knobs() {
            let next = knob.value + knob.tunable.step;
            let changed = rig.with(&knob.place, next);
            let found = changed.knobs().into_iter().find(|k| k.place == knob.place).unwrap();
            let expected = next.min(knob.tunable.max);
            assert!((found.value - expected).abs() < 1e-6, "{}: {}", found.place, found.value);
            let least = rig.with(&knob.place, -1e9);
            let found = least.knobs().into_iter().find(|k| k.place == knob.place).unwrap();
            assert!(found.value >= knob.tunable.min, "{}", found.place);
            // Nothing else moved, and back again is where it was.
            assert_eq!(changed.with(&knob.place, knob.value), rig);
        }
    }

    #[test]
    fn an_input_has_the_numbers_of_its_shape() {
        let places = |input| {
            let places = places_of(&rig(), 0, input);
            places.iter().map(ToString::to_string).collect::<Vec<_>>()
        };
        assert_eq!(places(0).len(), 3);
        assert_eq!(places(1), ["action.slew.from[1].dead-zone"]);
    }
}
