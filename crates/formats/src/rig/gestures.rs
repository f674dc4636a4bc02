//! The `[gesture.*]` and `[sign.*]` tables of a rig.

use super::{
    fields::{self, Entry, Fields, Value, check_name},
    problem::Problems,
    reference, zones,
};
use gtrig_core::{
    Claim, ControlRef, Gesture, GestureId, GestureKind, GestureLimits, LengthUnit, LimitSense,
    MAX_EXAMPLES, MAX_GESTURES, MAX_SIGNS, MAX_TAPS, MeasuredFrom, PanelEdge, Pointing,
    PointingSet, Quantity, Sign, SignId, StickCentre, Surface, SwipeDirections, SwipeFires, Zone,
    ZoneId,
};

/// An example of a sign has at most this many places.
const MAX_PLACES: usize = 1024;

pub(super) fn read_signs(problems: &mut Problems, table: &Fields) -> Vec<Sign> {
    let signs: Vec<Sign> = table.entries().filter_map(|entry| sign(problems, &entry)).collect();
    if signs.len() > MAX_SIGNS {
        let found = format!("{} signs", signs.len());
        problems.add(table.span(), found, &format!("at most {MAX_SIGNS}"));
    }
    signs
}

fn sign(problems: &mut Problems, entry: &Entry) -> Option<Sign> {
    check_name(problems, entry, "a sign");
    let mut fields = entry.value.table(problems)?;
    let examples = match fields.take("examples") {
        Some(value) => {
            let items: Vec<Value> = value.items(problems).collect();
            if items.len() > MAX_EXAMPLES {
                let found = format!("{} examples", items.len());
                problems.add(value.span(), found, &format!("at most {MAX_EXAMPLES}"));
            }
            items.into_iter().filter_map(|item| example(problems, item)).collect()
        }
        None => {
            let found = format!("the sign `{}` without them", entry.key.escape_debug());
            let expected = "`examples`: one or more strokes, each a list of places [x, y]";
            problems.add(entry.key_span.clone(), found, expected);
            Vec::new()
        }
    };
    fields.finish(problems);
    Some(Sign { name: entry.key.to_owned(), examples })
}

fn example(problems: &mut Problems, value: Value) -> Option<Vec<[f32; 2]>> {
    let items: Vec<Value> = value.items(problems).collect();
    let places: Option<Vec<[f32; 2]>> = items
        .iter()
        .map(|item| item.numbers(problems, "a place: x and y, y down", |n| (n as f32).is_finite()))
        .collect();
    let places = places?;
    let goes = places.windows(2).any(|two| two[0] != two[1]);
    if !goes || places.len() > MAX_PLACES {
        let found = format!("{} places", places.len());
        let expected = format!("a stroke of 2 to {MAX_PLACES} places that goes somewhere");
        problems.add(value.span(), found, &expected);
        return None;
    }
    Some(places)
}

/// What a gesture may refer to.
#[derive(Clone, Copy)]
struct Context<'a> {
    zones: &'a [Zone],
    signs: &'a [Sign],
    /// The names of all gestures, in order.
    gestures: &'a [&'a str],
    /// Whether the rig says how many pixels the picture has.
    has_pixels: bool,
}

pub(super) fn read(
    problems: &mut Problems,
    table: &Fields,
    (zones, surface): (&[Zone], &Surface),
    signs: &[Sign],
) -> Vec<Gesture> {
    let names: Vec<&str> = table.entries().map(|entry| entry.key).collect();
    let has_pixels = surface.pixels.is_some();
    let context = Context { zones, signs, gestures: &names, has_pixels };
    let read = |entry| gesture(problems, &entry, context);
    // One that is no gesture keeps its place, so that others still mean what they say.
    let gestures: Vec<Option<Gesture>> = table.entries().map(read).collect();
    if gestures.len() > MAX_GESTURES {
        let found = format!("{} gestures", gestures.len());
        problems.add(table.span(), found, &format!("at most {MAX_GESTURES}"));
    }
    check_waits(problems, table, &gestures);
    gestures.into_iter().flatten().collect()
}

/// Gestures that wait for each other in a circle would wait for ever.
fn check_waits(problems: &mut Problems, table: &Fields, gestures: &[Option<Gesture>]) {
    let waits = |at: usize| {
        let others = gestures[at].as_ref().map_or(&[][..], |gesture| &gesture.waits_for);
        others.iter().map(|other| other.index())
    };
    fields::check_waits(problems, table.entries(), waits, "gestures");
}

fn gesture(problems: &mut Problems, entry: &Entry, context: Context) -> Option<Gesture> {
    check_name(problems, entry, "a gesture");
    let mut fields = entry.value.table(problems)?;
    let zone = fields.take("zone").and_then(|value| zone(problems, value, context.zones));
    let [waits_for, beside] =
        ["waits-for", "beside"].map(|key| others(problems, &mut fields, key, context));
    let takes = fields.take("takes").and_then(|value| value.bool(problems)).unwrap_or(false);
    let Some(word) = fields.take("kind") else {
        let found = format!("the gesture `{}` without it", entry.key.escape_debug());
        let expected = format!("`kind`: \"{}\"", GestureKind::WORDS.join("\", \""));
        problems.add(entry.key_span.clone(), found, &expected);
        return None;
    };
    let moving = origin(problems, &mut fields);
    let kind = kind(problems, &mut fields, word, (zone, context))?;
    if let (Some((_, value)), false) = (&moving, matches!(kind, GestureKind::Aim { .. })) {
        let expected = "no `origin` here: only an aim has one";
        problems.add(value.span(), "`origin`".to_owned(), expected);
    }
    let measured_from = measured_from(problems, &mut fields, kind);
    let by = by(problems, &mut fields, (kind, zone));
    let fingers = fingers(problems, &mut fields, kind);
    if let (Some(key), true) = (by.1, fingers > 1 && by.0 != PointingSet::FINGERS) {
        let expected = "no `by` beside several `fingers`: a pointer has none";
        problems.add(key.span(), problems.quote(key.span()), expected);
    }
    let unit = unit(problems, &mut fields, context);
    let limits = limits(problems, &mut fields, (kind, fingers), unit);
    fields.finish(problems);
    let name = entry.key.to_owned();
    let origin = moving.map(|(origin, _)| origin);
    Some(Gesture {
        name,
        zone,
        by: by.0,
        kind,
        fingers,
        limits,
        waits_for,
        takes,
        beside,
        measured_from,
        origin,
        unit,
    })
}

/// What it is made by. What hovers lands nowhere, and is lifted nowhere.
fn by<'a>(
    problems: &mut Problems,
    fields: &mut Fields<'a>,
    (kind, zone): (GestureKind, Option<ZoneId>),
) -> (PointingSet, Option<Value<'a>>) {
    let key = fields.entries().find(|entry| entry.key == "by").map(|entry| entry.value);
    let by = zones::pointing(problems, fields);
    if let Some(key) = key.filter(|_| by.has(Pointing::Hover)) {
        if !matches!(kind, GestureKind::Aim { .. } | GestureKind::Stick(StickCentre::Fixed(_))) {
            let expected = "a pointer that is pressed: without that it can only aim, or be a \
                            stick whose `centre` is \"fixed\"";
            problems.add(key.span(), problems.quote(key.span()), expected);
        } else if zone.is_some() {
            let expected = "no `zone` beside \"hover\": a pointer that hovers lands in none";
            problems.add(key.span(), problems.quote(key.span()), expected);
        }
    }
    (by, key)
}

fn zone(problems: &mut Problems, value: Value, zones: &[Zone]) -> Option<ZoneId> {
    let name = value.string(problems)?;
    let found = zones.iter().position(|zone| zone.name == name);
    match found {
        None => {
            let known = zones.iter().map(|zone| zone.name.as_str());
            problems.add_unknown(value.span(), name, known, "the name of a [zone.…] of this rig");
        }
        Some(at) if zones[at].claim == Claim::Pass => {
            let expected = "a zone that has contacts: this one lets them pass";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        Some(_) => {}
    }
    found.map(ZoneId::at)
}

/// Other gestures of this rig.
fn others(
    problems: &mut Problems,
    fields: &mut Fields,
    key: &'static str,
    context: Context,
) -> Vec<GestureId> {
    let Some(value) = fields.take(key) else { return Vec::new() };
    let mut found = Vec::new();
    for item in value.items(problems) {
        let Some(name) = item.string(problems) else { continue };
        match context.gestures.iter().position(|other| *other == name) {
            Some(at) => found.push(GestureId::at(at)),
            None => {
                let known = context.gestures.iter().copied();
                problems.add_unknown(
                    item.span(),
                    name,
                    known,
                    "the name of a [gesture.…] of this rig",
                );
            }
        }
    }
    found
}

/// The kind of a gesture, with what belongs to it alone.
fn kind(
    problems: &mut Problems,
    fields: &mut Fields,
    word: Value,
    (zone, context): (Option<ZoneId>, Context),
) -> Option<GestureKind> {
    match word.one_of(problems, &GestureKind::WORDS.map(|word| (word, word)))? {
        "tap" => {
            Some(GestureKind::Tap { times: count(problems, fields, "times", 1..=MAX_TAPS as u8) })
        }
        "press" => Some(GestureKind::Press),
        "swipe" => Some(swipe(problems, fields)),
        "flick" => Some(GestureKind::Flick),
        "click" => click(problems, fields, word, (zone, context)),
        "drag" => Some(GestureKind::Drag),
        "pinch" => Some(GestureKind::Pinch),
        "rotate" => Some(GestureKind::Rotate),
        "stick" => stick(problems, fields, word).map(GestureKind::Stick),
        "aim" => {
            let place = fields.take("origin").filter(|value| !value.is_table());
            let origin = place.map_or(Some([0.5; 2]), |value| share(problems, value));
            origin.map(|origin| GestureKind::Aim { origin })
        }
        _ => sign_of(problems, fields, word, context),
    }
}

/// An origin that controls say: `{ x = "other/boom-x", y = "other/boom-y" }`. One that
/// is two numbers is left to the kind.
fn origin<'a>(
    problems: &mut Problems,
    fields: &mut Fields<'a>,
) -> Option<([ControlRef; 2], Value<'a>)> {
    let is_origin = |entry: &Entry| entry.key == "origin" && entry.value.is_table();
    fields.entries().find(is_origin)?;
    let value = fields.take("origin")?;
    let mut axes = value.table(problems)?;
    let [x, y] = ["x", "y"].map(|axis| {
        let Some(value) = axes.take(axis) else {
            let expected = "an origin with both x and y";
            problems.add(value.span(), format!("no `{axis}`"), expected);
            return None;
        };
        reference(problems, &value)
    });
    axes.finish(problems);
    Some(([x?, y?], value))
}

/// A finger that lands on the zone of the gesture, and is lifted on that one or on
/// another.
fn click(
    problems: &mut Problems,
    fields: &mut Fields,
    word: Value,
    (zone, context): (Option<ZoneId>, Context),
) -> Option<GestureKind> {
    let lifts_in = match fields.take("lifts-in") {
        Some(value) => self::zone(problems, value, context.zones)?,
        None => zone.or_else(|| {
            let expected = "`zone`: where the finger lands; `lifts-in` if it is lifted elsewhere";
            problems.add(word.span(), "a click without it".to_owned(), expected);
            None
        })?,
    };
    Some(GestureKind::Click { lifts_in })
}

/// From where a drag, a pinch or a rotation is measured.
fn measured_from(problems: &mut Problems, fields: &mut Fields, kind: GestureKind) -> MeasuredFrom {
    let is_measured = matches!(kind, GestureKind::Drag | GestureKind::Pinch | GestureKind::Rotate);
    if !is_measured {
        return MeasuredFrom::Landing;
    }
    fields.take("measured-from").and_then(|value| value.word(problems)).unwrap_or_default()
}

/// A place in shares of the surface.
fn share(problems: &mut Problems, value: Value) -> Option<[f32; 2]> {
    let expected = "a place: x and y, shares of the surface from 0 to 1";
    value.numbers(problems, expected, |n| (0.0..=1.0).contains(&n))
}

fn swipe(problems: &mut Problems, fields: &mut Fields) -> GestureKind {
    let from_edge = fields.take("from-edge").and_then(|v| v.word::<PanelEdge>(problems));
    let fires =
        fields.take("fires").and_then(|v| v.word::<SwipeFires>(problems)).unwrap_or_default();
    let toward = fields.take("toward").and_then(|value| toward(problems, value));
    GestureKind::Swipe { toward: toward.unwrap_or(SwipeDirections::FOUR), fires, from_edge }
}

fn toward(problems: &mut Problems, value: Value) -> Option<SwipeDirections> {
    let mut words = vec![
        ("any", SwipeDirections::Any),
        ("four", SwipeDirections::FOUR),
        ("eight", SwipeDirections::EIGHT),
    ];
    words.extend(
        SwipeDirections::WORDS.into_iter().zip((0..8).map(|n| SwipeDirections::Some(1 << n))),
    );
    if value.is_string() {
        return value.one_of(problems, &words);
    }
    let mut bits = 0;
    for item in value.items(problems) {
        if let Some(SwipeDirections::Some(bit)) = item.one_of(problems, &words[3..]) {
            bits |= bit;
        }
    }
    (bits != 0).then_some(SwipeDirections::Some(bits))
}

fn stick(problems: &mut Problems, fields: &mut Fields, word: Value) -> Option<StickCentre> {
    let at = fields.take("at");
    let place = at.and_then(|value| share(problems, value));
    let words = [("fixed", 0), ("floating", 1), ("following", 2)];
    let centre = fields.take("centre").and_then(|v| v.one_of(problems, &words));
    match (centre, at) {
        (Some(0), Some(_)) => place.map(StickCentre::Fixed),
        (Some(0), None) => {
            let expected = "`at`: where a fixed stick is, as shares of the surface";
            problems.add(word.span(), "a fixed stick without it".to_owned(), expected);
            None
        }
        (_, Some(at)) => {
            let expected = "no `at` here: only a stick whose `centre` is \"fixed\" has a place";
            problems.add(at.span(), "`at`".to_owned(), expected);
            None
        }
        (Some(2), None) => Some(StickCentre::Following),
        _ => Some(StickCentre::Floating),
    }
}

fn sign_of(
    problems: &mut Problems,
    fields: &mut Fields,
    word: Value,
    context: Context,
) -> Option<GestureKind> {
    let expected = "the name of a [sign.…] of this rig";
    let Some(value) = fields.take("sign") else {
        problems.add(word.span(), "no `sign`".to_owned(), expected);
        return None;
    };
    let name = value.string(problems)?;
    let found = context.signs.iter().position(|sign| sign.name == name);
    if found.is_none() {
        let known = context.signs.iter().map(|sign| sign.name.as_str());
        problems.add_unknown(value.span(), name, known, expected);
    }
    found.map(|sign| GestureKind::Sign { sign: SignId::at(sign) })
}

fn fingers(problems: &mut Problems, fields: &mut Fields, kind: GestureKind) -> u8 {
    count(problems, fields, "fingers", kind.fingers())
}

/// A whole number; the smallest one when it is not said.
fn count(
    problems: &mut Problems,
    fields: &mut Fields,
    key: &'static str,
    range: core::ops::RangeInclusive<u8>,
) -> u8 {
    let (least, most) = (*range.start(), *range.end());
    let Some(value) = fields.take(key) else { return least };
    let number = value.integer().and_then(|n| u8::try_from(n).ok());
    number.filter(|n| range.contains(n)).unwrap_or_else(|| {
        let expected = match least == most {
            true => format!("{least}: this kind has no other number of them"),
            false => format!("a whole number from {least} to {most}"),
        };
        problems.add(value.span(), problems.quote(value.span()), &expected);
        least
    })
}

/// What its lengths are measured in.
fn unit(problems: &mut Problems, fields: &mut Fields, context: Context) -> LengthUnit {
    let Some(value) = fields.take("lengths-in") else { return LengthUnit::Mm };
    let unit = value.word::<LengthUnit>(problems).unwrap_or_default();
    if unit == LengthUnit::Px && !context.has_pixels {
        let expected = "`pixels` in [surface]: how many there are";
        problems.add(value.span(), problems.quote(value.span()), expected);
    }
    unit
}

/// Its limits; `"none"` takes one away that would be there by default.
fn limits(
    problems: &mut Problems,
    fields: &mut Fields,
    (kind, fingers): (GestureKind, u8),
    unit: LengthUnit,
) -> GestureLimits {
    let mut limits = kind.defaults_in(unit, fingers);
    for (quantity, _) in kind.quantities(fingers) {
        let tunable = quantity.tunable_in(unit);
        let Some(value) = fields.take(tunable.name) else { continue };
        // What its output is measured by must be there, and so must the first
        // thing it asks. Without a gap, taps would wait for the next one for ever.
        let is_needed = quantity.sense() == LimitSense::Scale
            || quantity == first(kind)
            || quantity == Quantity::Gap;
        if value.is_string() && !is_needed {
            if value.one_of(problems, &[("none", ())]).is_some() {
                limits.set(quantity, None);
            }
        } else if let Some(limit) = value.tunable(problems, tunable) {
            limits.set(quantity, Some(limit as f32));
        }
    }
    limits
}

/// What a gesture of a kind cannot do without.
fn first(kind: GestureKind) -> Quantity {
    kind.quantities(1)[0].0
}
