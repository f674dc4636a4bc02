//! What a reader is told first: the rig, and what of it lies on a touch panel.

use crate::report::json_line;
use gtrig_analysis::Session;
use gtrig_core::{Gesture, GestureKind, LengthUnit, Outline, Quantity, Rig, StickCentre, Zone};
use serde::Serialize;
use std::io::{self, Write};

/// Says first what is published: by which rig, how often it polls, and its zones and
/// on-screen sticks, for a program that draws them.
///
/// # Errors
/// Those of `out`.
pub fn write_greeting(session: &Session, out: &mut impl Write) -> io::Result<()> {
    #[derive(Serialize)]
    struct Greeting<'a> {
        gtrig: u32,
        rig: &'a str,
        hz: f64,
        #[serde(skip_serializing_if = "Vec::is_empty")]
        zones: Vec<ZoneEntry<'a>>,
        #[serde(skip_serializing_if = "Vec::is_empty")]
        sticks: Vec<StickEntry<'a>>,
    }
    let rig = session.rig();
    let greeting = Greeting {
        gtrig: crate::live::VERSION,
        rig: rig.name.as_str(),
        hz: session.plan().rate().hz(),
        zones: rig.zones.iter().map(zone).collect(),
        sticks: rig.gestures.iter().filter_map(|gesture| stick(rig, gesture)).collect(),
    };
    json_line(&greeting, out)
}

/// A zone, in the words of a rig.
#[derive(Default, Serialize)]
struct ZoneEntry<'a> {
    name: &'a str,
    r#in: &'static str,
    #[serde(skip_serializing_if = "is_false")]
    right: bool,
    #[serde(skip_serializing_if = "is_false")]
    bottom: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    rect: Option<[f32; 4]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    circle: Option<[f32; 3]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    polygon: Option<&'a [[f32; 2]]>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_false(of: &bool) -> bool {
    !*of
}

fn zone(zone: &Zone) -> ZoneEntry<'_> {
    let entry = ZoneEntry {
        name: &zone.name,
        r#in: zone.space.into(),
        right: zone.anchor.right,
        bottom: zone.anchor.bottom,
        ..ZoneEntry::default()
    };
    match &zone.outline {
        Outline::Rect { at: [x, y], size: [width, height] } => {
            ZoneEntry { rect: Some([*x, *y, *width, *height]), ..entry }
        }
        Outline::Circle { centre: [x, y], radius } => {
            ZoneEntry { circle: Some([*x, *y, *radius]), ..entry }
        }
        Outline::Polygon(corners) => ZoneEntry { polygon: Some(corners), ..entry },
    }
}

/// A stick on the screen.
#[derive(Serialize)]
struct StickEntry<'a> {
    gesture: &'a str,
    /// Where its finger lands; anywhere when absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    zone: Option<&'a str>,
    ring_mm: f32,
    /// Its centre in shares of the panel; where the finger landed when absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    centre: Option<[f32; 2]>,
}

/// Nothing where a gesture is none, or its ring is not measured in millimetres.
fn stick<'a>(rig: &'a Rig, gesture: &'a Gesture) -> Option<StickEntry<'a>> {
    let GestureKind::Stick(centre) = gesture.kind else { return None };
    Some(StickEntry {
        gesture: &gesture.name,
        zone: gesture.zone.map(|zone| rig.zones[zone.index()].name.as_str()),
        ring_mm: gesture.limits.of(Quantity::Ring).filter(|_| gesture.unit == LengthUnit::Mm)?,
        centre: match centre {
            StickCentre::Fixed(centre) => Some(centre),
            StickCentre::Floating | StickCentre::Following => None,
        },
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::Tick;

    fn greeting(rig: &str) -> serde_json::Value {
        let text = std::fs::read_to_string(format!(
            "{}/../app/demo/{rig}.toml",
            env!("CARGO_MANIFEST_DIR")
        ));
        let rig = crate::rig::parse("rig.toml", &text.unwrap()).unwrap();
        let mut line = Vec::new();
        write_greeting(&Session::new(rig, Tick(0), Capacity::DEFAULT), &mut line).unwrap();
        serde_json::from_slice(&line).unwrap()
    }

    #[test]
    fn zones_and_sticks_are_told_in_the_words_of_the_rig() {
        let told = greeting("gestures");
        assert_eq!(told["zones"][0]["name"], "helm");
        assert_eq!(told["zones"][0]["in"], "panel");
        assert_eq!(told["zones"][0]["rect"].as_array().unwrap().len(), 4);
        let stick = &told["sticks"][0];
        assert_eq!((&stick["gesture"], &stick["zone"]), (&"steer".into(), &"helm".into()));
        assert_eq!((&stick["ring_mm"], stick.get("centre")), (&14.0.into(), None));
        let circle = greeting("panel")["zones"][2].clone();
        assert_eq!((&circle["name"], circle["circle"][2].as_f64()), (&"horn".into(), Some(0.12)));
    }
}
