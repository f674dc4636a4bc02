//! The `[action.*]` tables of a rig.

use super::{
    fields::{Entry, Fields, Value, check_name},
    modes::modes_of,
    problem::Problems,
    reference, shapes, stick_reference, zones,
};
use gtrig_core::{
    ActionId, ActionSpec, BothHeld, Claim, Combine, ComboId, ControlRef, CrossSpec, DeviceKind,
    Gesture, GestureId, Gives, InputSpec, Keyword, NamedShape, PlaceAxis, Shape, ShapeUse,
    SideSpec, Space, Surface, Thresholds, Zone, ZoneId, tunable, tunable::Tunable,
};

/// What an action may refer to.
#[derive(Clone, Copy)]
pub(super) struct Context<'a> {
    pub(super) surface: &'a Surface,
    pub(super) shapes: &'a [NamedShape],
    pub(super) zones: &'a [Zone],
    pub(super) gestures: &'a [Gesture],
    /// The names of all combos, actions and modes, in order.
    pub(super) combos: &'a [&'a str],
    pub(super) actions: &'a [&'a str],
    pub(super) modes: &'a [&'a str],
}

/// A rig has at most this many actions.
pub(super) const MAX: usize = 10_000;

pub(super) fn read(problems: &mut Problems, entry: &Entry, context: Context) -> Option<ActionSpec> {
    check_name(problems, entry, "an action");
    let mut fields = entry.value.table(problems)?;
    let gives = match fields.take("gives") {
        Some(value) => value.word(problems),
        None => missing(
            problems,
            entry,
            "`gives`: \"on\", \"pulse\", \"toggle\", \"axis\", \"plane\", \"polar\" or \"place\"",
        ),
    };
    let clamp = fields.take("clamp");
    let inputs = match fields.take("from") {
        Some(value) => {
            value.items(problems).filter_map(|v| input(problems, &v, gives, context)).collect()
        }
        None => missing(problems, entry, "`from`: the controls that drive the action")
            .unwrap_or_default(),
    };
    let is_clamped = clamp.and_then(|value| value.bool(problems));
    if let (Some(value), Some(gives)) = (clamp, gives)
        && !gives.is_vector()
    {
        let expected = "no `clamp` here: only a plane is held in the unit circle";
        problems.add(value.span(), "`clamp`".to_owned(), expected);
    }
    let words = [("any", false), ("main", true)];
    let main_only =
        fields.take("devices").and_then(|v| v.one_of(problems, &words)).unwrap_or(false);
    let combine = fields.take("combine");
    if let (Some(value), Some(Gives::Place)) = (combine, gives) {
        let expected = "no `combine` here: the first input that has a contact gives the place";
        problems.add(value.span(), "`combine`".to_owned(), expected);
    }
    let combine = combine.and_then(|v| v.word::<Combine>(problems)).unwrap_or_default();
    let space = space(problems, &mut fields, gives, context);
    let [closed_while, open_while] = ["closed-while", "open-while"]
        .map(|key| gates(problems, &mut fields, key, context.actions));
    let modes = modes_of(problems, &mut fields, context.modes);
    fields.finish(problems);
    let gives = gives?;
    let clamp = gives.is_vector() && is_clamped.unwrap_or(true);
    Some(ActionSpec {
        name: entry.key.to_owned(),
        gives,
        inputs,
        combine,
        clamp,
        main_only,
        closed_while,
        open_while,
        modes,
        space,
    })
}

/// What a place is measured in: `in = "world"`.
fn space(
    problems: &mut Problems,
    fields: &mut Fields,
    gives: Option<Gives>,
    context: Context,
) -> Space {
    let Some(value) = fields.take("in") else { return Space::Panel };
    if gives.is_some_and(|gives| gives != Gives::Place) {
        let expected = "no `in` here: only an action that gives a \"place\" is measured in a space";
        problems.add(value.span(), "`in`".to_owned(), expected);
    }
    // Every panel knows how many millimetres it has.
    match value.word(problems) {
        Some(Space::Mm) => Space::Mm,
        _ => zones::space(problems, value, context.surface).unwrap_or_default(),
    }
}

/// The actions that open or close an action or a zone, of these names.
pub(super) fn gates(
    problems: &mut Problems,
    fields: &mut Fields,
    key: &'static str,
    names: &[&str],
) -> Vec<ActionId> {
    let Some(value) = fields.take(key) else { return Vec::new() };
    let mut found = Vec::new();
    for item in value.items(problems) {
        let Some(name) = item.string(problems) else { continue };
        match names.iter().position(|other| *other == name) {
            Some(at) => found.push(ActionId::at(at)),
            None => {
                let known = names.iter().copied();
                problems.add_unknown(item.span(), name, known, "the name of an action of this rig");
            }
        }
    }
    found
}

/// A gate that is itself opened or closed would make its order matter.
pub(super) fn check_gates(problems: &mut Problems, table: &Fields, actions: &[ActionSpec]) {
    let is_gated =
        |action: &ActionSpec| !action.closed_while.is_empty() || !action.open_while.is_empty();
    for (action, entry) in actions.iter().zip(table.entries()) {
        let gates = action.closed_while.iter().chain(&action.open_while);
        for gate in gates.filter_map(|at| actions.get(at.index())) {
            if is_gated(gate) || !gate.gives.is_digital() {
                let found = format!("the gate `{}` of `{}`", gate.name, action.name);
                let expected = "a gate that gives \"on\" or \"toggle\" and has no gates itself";
                problems.add(entry.key_span.clone(), found, expected);
            }
        }
    }
}

fn missing<T>(problems: &mut Problems, entry: &Entry, what: &str) -> Option<T> {
    let found = format!("the action `{}` without it", entry.key.escape_debug());
    problems.add(entry.key_span.clone(), found, what);
    None
}

/// An input, if it is well-formed and suits what the action gives.
fn input(
    problems: &mut Problems,
    value: &Value,
    gives: Option<Gives>,
    context: Context,
) -> Option<InputSpec> {
    let input = match value.is_string() {
        true => button(problems, *value)?,
        false => table(problems, value, gives, context)?,
    };
    match gives {
        Some(gives) if !gives.accepts(&input) => {
            let expected = match gives {
                Gives::On | Gives::Pulse | Gives::Toggle => {
                    "a button, such as \"pad/south\", { control = …, press-at = … }, { zone = … }, { gesture = … } or { combo = … }"
                }
                Gives::Axis => "{ axis = … }, { pair = […, …] }, { place = … } or { gesture = … }",
                Gives::Plane | Gives::Polar => {
                    "{ stick = … }, { cross = {…} }, { pointer = … }, { place = … } or { gesture = … }"
                }
                Gives::Place => "{ place = … }: a zone that has a contact",
            };
            let expected =
                format!("what an action that gives \"{}\" can read: {expected}", gives.word());
            problems.add(value.span(), problems.quote(value.span()), &expected);
            None
        }
        _ => Some(input),
    }
}

fn table(
    problems: &mut Problems,
    value: &Value,
    gives: Option<Gives>,
    context: Context,
) -> Option<InputSpec> {
    let mut fields = value.table(problems)?;
    let input = if let Some(control) = fields.take("control") {
        let thresholds = thresholds(problems, &mut fields);
        reference(problems, &control).map(|control| InputSpec::Button { control, thresholds })
    } else if let Some(zone) = fields.take("zone") {
        zone_of(problems, zone, context).map(InputSpec::Zone)
    } else if let Some(zone) = fields.take("place") {
        place(problems, &mut fields, zone, gives, context)
    } else if let Some(name) = fields.take("gesture") {
        gesture(problems, &mut fields, name, gives, context)
    } else if let Some(combo) = fields.take("combo") {
        combo_of(problems, combo, context).map(InputSpec::Combo)
    } else if let Some(axis) = fields.take("axis") {
        self::axis(problems, &mut fields, axis, context)
    } else if let Some(pair) = fields.take("pair") {
        self::pair(problems, &mut fields, pair, context)
    } else if let Some(stick) = fields.take("stick") {
        self::stick(problems, &mut fields, stick, context)
    } else if let Some(cross) = fields.take("cross") {
        self::cross(problems, &mut fields, cross, context)
    } else if let Some(pointer) = fields.take("pointer") {
        self::pointer(problems, &mut fields, pointer, context)
    } else {
        let expected = "an input: `control`, `zone`, `place`, `gesture`, `combo`, `axis`, `pair`, `stick`, `cross` or `pointer`";
        problems.add(value.span(), problems.quote(value.span()), expected);
        return None;
    };
    fields.finish(problems);
    input
}

/// A zone of this rig.
fn zone_of(problems: &mut Problems, value: Value, context: Context) -> Option<ZoneId> {
    let name = value.string(problems)?;
    let found = context.zones.iter().position(|zone| zone.name == name);
    if found.is_none() {
        let known = context.zones.iter().map(|zone| zone.name.as_str());
        problems.add_unknown(value.span(), name, known, "the name of a [zone.…] of this rig");
    }
    found.map(ZoneId::at)
}

/// Where on a zone a contact is: `{ place = "strip", along = "y" }`.
fn place(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    gives: Option<Gives>,
    context: Context,
) -> Option<InputSpec> {
    let is_bare = gives == Some(Gives::Place);
    let shape = match is_bare {
        // What shapes a direction does not shape a place.
        true => ShapeUse::Own(Shape::default()),
        false => shapes::of_input(problems, fields, context.shapes, None),
    };
    let along = fields.take("along");
    if let (Some(along), Some(Gives::Plane | Gives::Polar | Gives::Place)) = (along, gives) {
        let expected = "no `along` here: only an action of one axis reads one of the two";
        problems.add(along.span(), "`along`".to_owned(), expected);
    }
    let along = along.and_then(|value| value.word::<PlaceAxis>(problems)).unwrap_or_default();
    let zone = zone_of(problems, value, context)?;
    if context.zones[zone.index()].claim == Claim::Pass {
        let expected = "a zone that has contacts: this one lets them pass";
        problems.add(value.span(), problems.quote(value.span()), expected);
    }
    Some(InputSpec::Place { zone, along, shape })
}

/// A combo of this rig.
fn combo_of(problems: &mut Problems, value: Value, context: Context) -> Option<ComboId> {
    let name = value.string(problems)?;
    let found = context.combos.iter().position(|combo| *combo == name);
    if found.is_none() {
        let known = context.combos.iter().copied();
        problems.add_unknown(value.span(), name, known, "the name of a [combo.…] of this rig");
    }
    found.map(ComboId::at)
}

/// A gesture of this rig that gives what the action does.
fn gesture(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    gives: Option<Gives>,
    context: Context,
) -> Option<InputSpec> {
    let shape = shapes::of_input(problems, fields, context.shapes, None);
    let name = value.string(problems)?;
    let Some(at) = context.gestures.iter().position(|gesture| gesture.name == name) else {
        let known = context.gestures.iter().map(|gesture| gesture.name.as_str());
        problems.add_unknown(value.span(), name, known, "the name of a [gesture.…] of this rig");
        return None;
    };
    let kind = context.gestures[at].kind;
    let suits = gives.is_none_or(|gives| match gives {
        Gives::On | Gives::Pulse | Gives::Toggle => true,
        Gives::Axis => kind.has_value() && !kind.is_double(),
        Gives::Plane | Gives::Polar => kind.is_double(),
        Gives::Place => false,
    });
    if !suits {
        let expected = "a gesture that gives as much as the action: a pinch or a rotation one \
                        axis, a swipe, a drag, a stick or an aim two";
        problems.add(value.span(), problems.quote(value.span()), expected);
        return None;
    }
    Some(InputSpec::Gesture { gesture: GestureId::at(at), shape })
}

fn button(problems: &mut Problems, value: Value) -> Option<InputSpec> {
    let press_at = tunable::PRESS_AT.default as f32;
    let thresholds = Thresholds { press_at, release_at: press_at };
    reference(problems, &value).map(|control| InputSpec::Button { control, thresholds })
}

fn thresholds(problems: &mut Problems, fields: &mut Fields) -> Thresholds {
    let press_at = number(problems, fields, &tunable::PRESS_AT);
    let Some(value) = fields.take(tunable::RELEASE_AT.name) else {
        return Thresholds { press_at, release_at: press_at };
    };
    let release_at = value.tunable(problems, &tunable::RELEASE_AT).map_or(press_at, |v| v as f32);
    if release_at > press_at {
        let expected = format!("a travel not above `press-at`, which is {press_at}");
        problems.add(value.span(), problems.quote(value.span()), &expected);
    }
    Thresholds { press_at, release_at }
}

fn axis(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    context: Context,
) -> Option<InputSpec> {
    let invert = fields.take("invert").and_then(|v| v.bool(problems)).unwrap_or(false);
    let inverted = invert.then_some((true, false));
    let shape = shapes::of_input(problems, fields, context.shapes, inverted);
    reference(problems, &value).map(|control| InputSpec::Axis { control, shape })
}

fn stick(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    context: Context,
) -> Option<InputSpec> {
    let words = [("x", (true, false)), ("y", (false, true)), ("xy", (true, true))];
    let inverted = fields.take("invert").and_then(|v| v.one_of(problems, &words));
    let shape = shapes::of_input(problems, fields, context.shapes, inverted);
    stick_reference(problems, &value).map(|stick| InputSpec::Stick { stick, shape })
}

/// A device whose `x` and `y` count: `{ pointer = "mouse" }`.
fn pointer(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    context: Context,
) -> Option<InputSpec> {
    let counts = number(problems, fields, &tunable::COUNTS);
    let shape = shapes::of_input(problems, fields, context.shapes, None);
    let device = value.string(problems)?;
    let pointer = format!("{device}/x").parse::<ControlRef>();
    let expected = "a device that counts, such as \"mouse\" or \"other1\"";
    let is_one =
        |pointer: &ControlRef| matches!(pointer.kind, DeviceKind::Mouse | DeviceKind::Other);
    match pointer.ok().filter(is_one) {
        Some(pointer) => Some(InputSpec::Pointer { pointer, counts, shape }),
        None => {
            problems.add(value.span(), problems.quote(value.span()), expected);
            None
        }
    }
}

fn pair(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    context: Context,
) -> Option<InputSpec> {
    let both = both_held(problems, fields);
    let sides: Vec<Value> = value.items(problems).collect();
    let [negative, positive] = sides[..] else {
        let expected = "two sides: [the -1 side, the +1 side]";
        problems.add(value.span(), problems.quote(value.span()), expected);
        return None;
    };
    let negative = side(problems, negative, context);
    let positive = side(problems, positive, context);
    Some(InputSpec::Pair { negative, positive, both })
}

fn cross(
    problems: &mut Problems,
    fields: &mut Fields,
    value: Value,
    context: Context,
) -> Option<InputSpec> {
    let both = both_held(problems, fields);
    let mut sides = value.table(problems)?;
    let [left, right, up, down] = ["left", "right", "up", "down"].map(|name| {
        let Some(keys) = sides.take(name) else {
            let expected = "a cross with all of left, right, up and down";
            problems.add(value.span(), format!("no `{name}`"), expected);
            return SideSpec::default();
        };
        side(problems, keys, context)
    });
    sides.finish(problems);
    Some(InputSpec::Cross(CrossSpec { left, right, up, down, both }))
}

/// Keys, and zones as `{ zone = … }`.
fn side(problems: &mut Problems, value: Value, context: Context) -> SideSpec {
    let mut side = SideSpec::default();
    for item in value.items(problems) {
        if item.is_string() {
            side.keys.extend(reference(problems, &item));
        } else if let Some(mut fields) = item.table(problems) {
            match fields.take("zone") {
                Some(name) => side.zones.extend(zone_of(problems, name, context)),
                None => {
                    let expected = "a key, such as \"keys/KeyA\", or { zone = … }";
                    problems.add(item.span(), problems.quote(item.span()), expected);
                }
            }
            fields.finish(problems);
        }
    }
    side
}

fn both_held(problems: &mut Problems, fields: &mut Fields) -> BothHeld {
    let rule = fields.take("both").and_then(|v| v.word::<BothHeld>(problems));
    rule.unwrap_or(BothHeld::Neutral)
}

fn number(problems: &mut Problems, fields: &mut Fields, tunable: &Tunable) -> f32 {
    let value = fields.take(tunable.name).and_then(|v| v.tunable(problems, tunable));
    value.unwrap_or(tunable.default) as f32
}
