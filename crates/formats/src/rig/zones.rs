//! The `[zone.*]` tables of a rig.

use super::{
    actions,
    fields::{Entry, Fields, Value, check_name},
    problem::Problems,
};
use gtrig_core::{
    Anchor, Claim, Keyword, MAX_ZONES, Outline, Pointing, PointingSet, Rig, Space, Surface, Zone,
    crosses_itself, tunable,
};

/// A polygon has at most this many corners.
pub(super) const MAX_CORNERS: usize = 64;

/// What a zone may refer to.
#[derive(Clone, Copy)]
pub(super) struct Context<'a> {
    pub(super) surface: &'a Surface,
    /// The names of all actions, in order.
    pub(super) actions: &'a [&'a str],
}

pub(super) fn read(problems: &mut Problems, table: &Fields, context: Context) -> Vec<Zone> {
    let read = |entry| zone(problems, &entry, context);
    let zones: Vec<Zone> = table.entries().filter_map(read).collect();
    if zones.len() > MAX_ZONES {
        let found = format!("{} zones", zones.len());
        problems.add(table.span(), found, &format!("at most {MAX_ZONES}"));
    }
    zones
}

fn zone(problems: &mut Problems, entry: &Entry, context: Context) -> Option<Zone> {
    check_name(problems, entry, "a zone");
    let mut fields = entry.value.table(problems)?;
    let space = fields.take("in").and_then(|value| space(problems, value, context.surface));
    let space = space.unwrap_or_default();
    let anchor = fields.take("anchor").and_then(|value| anchor(problems, value, space));
    let [closed_while, open_while] = ["closed-while", "open-while"]
        .map(|key| actions::gates(problems, &mut fields, key, context.actions));
    let outlines = [
        fields.take("rect").map(|value| rect(problems, value, space)),
        fields.take("circle").map(|value| circle(problems, value, space)),
        fields.take("polygon").map(|value| polygon(problems, value, space)),
    ];
    let by = pointing(problems, &mut fields);
    let claim = fields.take("contact").and_then(|value| value.word::<Claim>(problems));
    let follows = fields.take("follow").and_then(|value| value.bool(problems)).unwrap_or(false);
    let layer = fields.take("layer").map_or(Some(0), |value| {
        let layer = value.integer().and_then(|layer| i32::try_from(layer).ok());
        if layer.is_none() {
            problems.add(
                value.span(),
                problems.quote(value.span()),
                "a whole number: higher is asked first",
            );
        }
        layer
    });
    fields.finish(problems);
    let mut given = outlines.into_iter().flatten();
    let (Some(outline), None) = (given.next(), given.next()) else {
        let found = format!("the zone `{}`", entry.key.escape_debug());
        problems.add(entry.key_span.clone(), found, "one of `rect`, `circle` and `polygon`");
        return None;
    };
    Some(Zone {
        name: entry.key.to_owned(),
        outline: outline?,
        space,
        anchor: anchor.unwrap_or_default(),
        closed_while,
        open_while,
        layer: layer?,
        claim: claim.unwrap_or_default(),
        follows,
        by,
    })
}

/// What a zone or a gesture is made by: `by = ["finger", "left"]`.
pub(super) fn pointing(problems: &mut Problems, fields: &mut Fields) -> PointingSet {
    let Some(value) = fields.take("by") else { return PointingSet::FINGERS };
    value.items(problems).filter_map(|item| item.word::<Pointing>(problems)).collect()
}

/// What opens and closes a zone is on or off.
pub(super) fn check_gates(problems: &mut Problems, rig: &Rig) {
    for zone in &rig.zones {
        for gate in zone.closed_while.iter().chain(&zone.open_while) {
            let Some(action) = rig.actions.get(gate.index()) else { continue };
            if !action.gives.is_digital() {
                let found = format!("the gate `{}` of the zone `{}`", action.name, zone.name);
                problems.add(0..0, found, "a gate that gives \"on\" or \"toggle\"");
            }
        }
    }
}

/// What a zone or a place is measured in, which the surface must know.
pub(super) fn space(problems: &mut Problems, value: Value, surface: &Surface) -> Option<Space> {
    let space = value.word(problems)?;
    if surface.to_panel(space).is_none() {
        let needs = match space {
            Space::Panel => "",
            Space::Mm => "`mm` in [surface]: how large the panel is",
            Space::Px => "`pixels` in [surface]: how many the panel has",
            Space::View => "`pixels` and `window` in [surface]: where the game draws",
            Space::World => "`world` in [surface]: where its camera looks",
        };
        problems.add(value.span(), problems.quote(value.span()), needs);
    }
    Some(space)
}

/// From which corner a zone is measured.
fn anchor(problems: &mut Problems, value: Value, space: Space) -> Option<Anchor> {
    if space == Space::World {
        let expected = "no `anchor` here: the world has no corners";
        problems.add(value.span(), problems.quote(value.span()), expected);
        return None;
    }
    value.one_of(problems, &Anchor::WORDS)
}

/// So many numbers in a space.
fn numbers<const N: usize>(
    problems: &mut Problems,
    value: Value,
    space: Space,
    what: &str,
) -> Option<[f32; N]> {
    let (tunable, unit) = match space {
        Space::Panel => (&tunable::RECT, "shares of the surface from 0 to 1".to_owned()),
        other => (&tunable::RECT_UNITS, format!("numbers of the space \"{}\"", other.word())),
    };
    let expected = what.replace("shares of the surface from 0 to 1", &unit);
    value.numbers(problems, &expected, |n| tunable.allows(n))
}

fn rect(problems: &mut Problems, value: Value, space: Space) -> Option<Outline> {
    let expected = "four shares of the surface from 0 to 1: left, top, width and height";
    let [left, top, width, height] = numbers(problems, value, space, expected)?;
    let is_outside = space == Space::Panel && (left >= 1.0 || top >= 1.0);
    if width <= 0.0 || height <= 0.0 || is_outside {
        problems.add(
            value.span(),
            problems.quote(value.span()),
            "a rectangle that a finger can meet",
        );
        return None;
    }
    Some(Outline::Rect { at: [left, top], size: [width, height] })
}

fn circle(problems: &mut Problems, value: Value, space: Space) -> Option<Outline> {
    let expected = "three shares of the surface from 0 to 1: x and y of the centre, and the radius";
    let [x, y, radius] = numbers(problems, value, space, expected)?;
    if radius <= 0.0 {
        problems.add(value.span(), problems.quote(value.span()), "a circle that a finger can meet");
        return None;
    }
    Some(Outline::Circle { centre: [x, y], radius })
}

fn polygon(problems: &mut Problems, value: Value, space: Space) -> Option<Outline> {
    let expected = "a corner: x and y, shares of the surface from 0 to 1";
    let items: Vec<Value> = value.items(problems).collect();
    let corners: Option<Vec<[f32; 2]>> =
        items.iter().map(|item| numbers(problems, *item, space, expected)).collect();
    let corners = corners?;
    if !(3..=MAX_CORNERS).contains(&corners.len()) {
        let found = format!("{} corners", corners.len());
        problems.add(value.span(), found, &format!("3 to {MAX_CORNERS} corners"));
        return None;
    }
    if crosses_itself(&corners) {
        let expected = "corners in order along the border, which does not cross itself";
        problems.add(value.span(), "a border that crosses itself".to_owned(), expected);
        return None;
    }
    Some(Outline::Polygon(corners))
}
