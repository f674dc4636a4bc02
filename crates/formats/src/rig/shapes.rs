//! The `[shape.*]` tables of a rig, and what inputs say of their shape.

use super::{
    fields::{Fields, Value},
    problem::Problems,
};
use gtrig_core::{
    Curve, CurvePoints, CurvePointsError, DeadZone, DeadZoneKind, NamedShape, Shape, ShapeId,
    ShapeUse, Smooth, Stage, Travel, tunable, tunable::Tunable,
};

/// A shape has at most this many stages.
pub(super) const MAX_STAGES: usize = 32;

/// The key by which a table says which stage it is, and how it is read.
type Reader = fn(&mut Problems, &mut Fields, Value) -> Option<Stage>;

const STAGES: [(&str, Reader); 12] = [
    ("invert", invert),
    ("swap", swap),
    ("offset", offset),
    ("scale", scale),
    ("gate", gate),
    ("dead-zone", dead_zone),
    ("curve", curve),
    ("sensitivity", sensitivity),
    ("half-life-ms", half_life),
    ("steady-hz", adaptive),
    ("turn-limit", turn_limit),
    ("directions", directions),
];

pub(super) fn read(problems: &mut Problems, table: &Fields) -> Vec<NamedShape> {
    let read = |problems: &mut Problems, value: Value| {
        let mut fields = value.table(problems)?;
        let shape = body(problems, &mut fields);
        fields.finish(problems);
        Some(shape)
    };
    let entries = table.entries();
    let named = entries.map(|entry| NamedShape {
        name: entry.key.to_owned(),
        shape: read(problems, entry.value).unwrap_or_default(),
    });
    named.collect()
}

/// What the axes really read.
fn travels(problems: &mut Problems, fields: &mut Fields) -> [Option<Travel>; 2] {
    [&tunable::CALIBRATE_X, &tunable::CALIBRATE_Y]
        .map(|tunable| travel(problems, fields.take(tunable.name)?))
}

fn body(problems: &mut Problems, fields: &mut Fields) -> Shape {
    let travel = travels(problems, fields);
    let stages = fields.take("stages").map_or_else(Vec::new, |value| {
        let stages: Vec<Stage> =
            value.items(problems).filter_map(|item| stage(problems, item)).collect();
        if stages.len() > MAX_STAGES {
            let found = format!("{} stages", stages.len());
            problems.add(value.span(), found, &format!("at most {MAX_STAGES}"));
        }
        stages
    });
    Shape { travel, stages }
}

fn travel(problems: &mut Problems, value: Value) -> Option<Travel> {
    let expected = "three whole numbers that rise: what is read at one end, at rest and at the \
                    other end; of a trigger the first two are the same";
    let items: Vec<Value> = value.items(problems).collect();
    let numbers: Option<Vec<i32>> =
        items.iter().map(|item| i32::try_from(item.integer()?).ok()).collect();
    match numbers.as_deref() {
        Some(&[min, centre, max]) if min <= centre && centre < max => {
            Some(Travel { min, centre, max })
        }
        _ => {
            problems.add(value.span(), problems.quote(value.span()), expected);
            None
        }
    }
}

fn stage(problems: &mut Problems, value: Value) -> Option<Stage> {
    let mut fields = value.table(problems)?;
    let found = STAGES.iter().find_map(|(key, read)| {
        let is_there = fields.entries().any(|entry| entry.key == *key);
        is_there.then_some((*key, *read))
    });
    // The one stage whose number has the name of its key.
    let facing = fields.entries().any(|entry| entry.key == "facing");
    let stage = match found {
        Some((key, read)) => {
            let value = fields.take(key)?;
            read(problems, &mut fields, value)
        }
        None if facing => Some(Stage::Facing(number(problems, &mut fields, &tunable::FACING))),
        None => {
            let names = STAGES.map(|(key, _)| key).join(", ");
            let expected = format!("a stage, known by one of the keys {names}, facing");
            problems.add(value.span(), problems.quote(value.span()), &expected);
            return None;
        }
    };
    fields.finish(problems);
    stage
}

fn number(problems: &mut Problems, fields: &mut Fields, tunable: &Tunable) -> f32 {
    let value = fields.take(tunable.name).and_then(|v| v.tunable(problems, tunable));
    value.unwrap_or(tunable.default) as f32
}

fn own_number(problems: &mut Problems, value: Value, tunable: &Tunable) -> Option<f32> {
    value.tunable(problems, tunable).map(|v| v as f32)
}

fn invert(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    let words = [("x", (true, false)), ("y", (false, true)), ("xy", (true, true))];
    value.one_of(problems, &words).map(|(x, y)| Stage::Invert { x, y })
}

fn swap(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    value.bool(problems)?.then_some(Stage::Swap)
}

/// One number for both axes, or one for each.
fn two(problems: &mut Problems, value: Value, tunable: &Tunable) -> Option<[f32; 2]> {
    let items: Vec<Value> = value.items(problems).collect();
    match items[..] {
        [both] => own_number(problems, both, tunable).map(|v| [v, v]),
        [x, y] => Some([own_number(problems, x, tunable)?, own_number(problems, y, tunable)?]),
        _ => {
            problems.add(
                value.span(),
                problems.quote(value.span()),
                "a number, or one for x and one for y",
            );
            None
        }
    }
}

fn offset(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    two(problems, value, &tunable::OFFSET).map(Stage::Offset)
}

fn scale(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    two(problems, value, &tunable::SCALE).map(Stage::Scale)
}

fn gate(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    value.word(problems).map(Stage::Gate)
}

fn dead_zone(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<Stage> {
    let kind = fields
        .take("on")
        .and_then(|v| v.word::<DeadZoneKind>(problems))
        .unwrap_or(DeadZoneKind::Radius);
    let slope = match kind {
        DeadZoneKind::Sloped => number(problems, fields, &tunable::SLOPE),
        _ => 0.0,
    };
    let outer = number(problems, fields, &tunable::OUTER);
    let inner = own_number(problems, value, &tunable::DEAD_ZONE)?;
    if inner >= outer {
        let expected = format!("a dead zone below `outer`, which is {outer}");
        problems.add(value.span(), problems.quote(value.span()), &expected);
    }
    Some(Stage::DeadZone(DeadZone { kind, inner, outer, slope }))
}

fn curve(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<Stage> {
    let kinds = ["linear", "power", "blend", "s", "points"].map(|word| (word, word));
    let words = [("length", false), ("axes", true)];
    let on_axes = fields.take("on").and_then(|v| v.one_of(problems, &words)).unwrap_or(false);
    let curve = match value.one_of(problems, &kinds)? {
        "power" => Curve::Power(number(problems, fields, &tunable::EXPONENT)),
        "blend" => Curve::Blend(number(problems, fields, &tunable::CUBIC)),
        "s" => Curve::S(number(problems, fields, &tunable::STEEPNESS)),
        "points" => Curve::Points(points(problems, fields, value)?),
        _ => Curve::Linear,
    };
    Some(Stage::Curve { curve, on_axes })
}

fn points(problems: &mut Problems, fields: &mut Fields, curve: Value) -> Option<CurvePoints> {
    let Some(value) = fields.take("points") else {
        let expected = "`points`: [[x, y], …] between [0, 0] and [1, 1]";
        problems.add(curve.span(), "a curve without them".to_owned(), expected);
        return None;
    };
    let items: Vec<Value> = value.items(problems).collect();
    let pair = |item: &Value| {
        let parts: Vec<Value> = item.items(&mut Problems::new("")).collect();
        match parts[..] {
            [x, y] => Some([x.number()? as f32, y.number()? as f32]),
            _ => None,
        }
    };
    let mut pairs = Vec::new();
    for item in &items {
        match pair(item) {
            Some(pair) => pairs.push(pair),
            None => {
                problems.add(
                    item.span(),
                    problems.quote(item.span()),
                    "a point [x, y] of two numbers",
                );
                return None;
            }
        }
    }
    CurvePoints::new(&pairs)
        .map_err(|error| {
            let (at, expected) = match error {
                CurvePointsError::Outside(at) => (at, "x between 0 and 1, and y from 0 to 1"),
                CurvePointsError::Back(at) => (at, "an x above that of the point before"),
                CurvePointsError::Falls(at) => (at, "a y not below that of the point before"),
            };
            problems.add(items[at].span(), problems.quote(items[at].span()), expected);
        })
        .ok()
}

fn sensitivity(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    own_number(problems, value, &tunable::SENSITIVITY).map(Stage::Sensitivity)
}

fn half_life(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    let ms = own_number(problems, value, &tunable::HALF_LIFE_MS)?;
    Some(Stage::Smooth(Smooth::HalfLife(ms / 1000.0)))
}

fn adaptive(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<Stage> {
    let follow = number(problems, fields, &tunable::FOLLOW);
    let steady_hz = own_number(problems, value, &tunable::STEADY_HZ)?;
    Some(Stage::Smooth(Smooth::Adaptive { steady_hz, follow }))
}

fn turn_limit(problems: &mut Problems, _: &mut Fields, value: Value) -> Option<Stage> {
    own_number(problems, value, &tunable::TURN_LIMIT).map(Stage::TurnLimit)
}

fn directions(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<Stage> {
    let hysteresis = number(problems, fields, &tunable::HYSTERESIS);
    match value.integer() {
        Some(ways @ (4 | 8)) => Some(Stage::Directions { ways: ways as u8, hysteresis }),
        _ => {
            problems.add(value.span(), problems.quote(value.span()), "4 or 8 directions");
            None
        }
    }
}

/// The shape of an input: one of the rig's by its name, or a short form of the
/// usual one: what is calibrated, what inverts first and a dead zone.
pub(super) fn of_input(
    problems: &mut Problems,
    fields: &mut Fields,
    shapes: &[NamedShape],
    inverted: Option<(bool, bool)>,
) -> ShapeUse {
    let zone = fields.take(tunable::DEAD_ZONE.name);
    let travel = travels(problems, fields);
    if let Some(value) = fields.take("shape") {
        if zone.is_some() || inverted.is_some() || travel.iter().any(Option::is_some) {
            let expected =
                "no `dead-zone`, `invert` or `calibrate-…` beside a shape: they are parts of it";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        let known = shapes.iter().map(|shape| shape.name.as_str());
        let Some(name) = value.string(problems) else { return ShapeUse::Own(Shape::default()) };
        return match shapes.iter().position(|shape| shape.name == name) {
            Some(at) => ShapeUse::Named(ShapeId::at(at)),
            None => {
                problems.add_unknown(
                    value.span(),
                    name,
                    known,
                    "the name of a [shape.…] of this rig",
                );
                ShapeUse::Own(Shape::default())
            }
        };
    }
    let mut stages = Vec::new();
    if let Some((x, y)) = inverted {
        stages.push(Stage::Invert { x, y });
    }
    let zone = zone.and_then(|v| v.tunable(problems, &tunable::DEAD_ZONE));
    stages.extend(zone.map(|inner| Stage::DeadZone(DeadZone::radius(inner as f32))));
    ShapeUse::Own(Shape { travel, stages })
}
