//! What a reader is told first: the rig, and what of it lies on a touch panel.

use crate::report::json_line;
use gtrig_analysis::Session;
use gtrig_core::{
    Gesture, GestureKind, LengthUnit, Outline, Quantity, Rig, StickCentre, Turn, Zone,
};
use serde::Serialize;
use std::io::{self, Write};

/// Says first what is published: by which rig, how often it polls, and its zones and
/// on-screen sticks, for a program that draws them on a panel. They are in shares of the
/// upright picture, whatever the rig measures them in.
///
/// # Errors
/// Those of `out`.
pub fn write_greeting(session: &Session, out: &mut impl Write) -> io::Result<()> {
    #[derive(Serialize)]
    struct Greeting<'a> {
        gtrig: u32,
        rig: &'a str,
        hz: f64,
        /// By how many degrees the panel is turned against the picture.
        #[serde(skip_serializing_if = "is_upright")]
        turned: i64,
        /// How high the picture is, in widths, where the rig says how large it is.
        #[serde(skip_serializing_if = "Option::is_none")]
        proportion: Option<f32>,
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
        turned: degrees(rig.surface.turn),
        proportion: rig.surface.mm.map(|[width, height]| height / width),
        zones: session.plan().zones().on_panel().iter().map(zone).collect(),
        sticks: rig.gestures.iter().filter_map(|gesture| stick(rig, gesture)).collect(),
    };
    json_line(&greeting, out)
}

fn degrees(turn: Turn) -> i64 {
    Turn::DEGREES.into_iter().find(|(_, of)| *of == turn).map_or(0, |(degrees, _)| degrees)
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_upright(degrees: &i64) -> bool {
    *degrees == 0
}

/// A zone, with the one outline that it has.
#[derive(Default, Serialize)]
struct ZoneEntry<'a> {
    name: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    rect: Option<[f32; 4]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    circle: Option<[f32; 3]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    polygon: Option<&'a [[f32; 2]]>,
}

fn zone(zone: &Zone) -> ZoneEntry<'_> {
    let entry = ZoneEntry { name: &zone.name, ..ZoneEntry::default() };
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
    /// Its radius in shares of the width; absent where only the panel knows it.
    #[serde(skip_serializing_if = "Option::is_none")]
    ring: Option<f32>,
    /// Its radius in millimetres, where the rig does not say how large the panel is.
    #[serde(skip_serializing_if = "Option::is_none")]
    ring_mm: Option<f32>,
    /// Its centre in shares of the panel; where the finger landed when absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    centre: Option<[f32; 2]>,
}

/// `None` for a gesture that is not a stick.
fn stick<'a>(rig: &'a Rig, gesture: &'a Gesture) -> Option<StickEntry<'a>> {
    let GestureKind::Stick(centre) = gesture.kind else { return None };
    let limit = gesture.limits.of(Quantity::Ring)?;
    let width = match gesture.unit {
        LengthUnit::Share => Some(1.0),
        LengthUnit::Px => rig.surface.pixels.map(|[width, _]| width),
        LengthUnit::Mm => rig.surface.mm.map(|[width, _]| width),
    };
    Some(StickEntry {
        gesture: &gesture.name,
        zone: gesture.zone.map(|zone| rig.zones[zone.index()].name.as_str()),
        ring: width.map(|width| limit / width),
        ring_mm: (width.is_none() && gesture.unit == LengthUnit::Mm).then_some(limit),
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
    use rstest::rstest;

    fn greeting(text: &str) -> serde_json::Value {
        let rig = crate::rig::parse("rig.toml", text).unwrap();
        let mut line = Vec::new();
        write_greeting(&Session::new(rig, Tick(0), Capacity::DEFAULT), &mut line).unwrap();
        serde_json::from_slice(&line).unwrap()
    }

    fn shipped(name: &str) -> serde_json::Value {
        let path = format!("{}/../app/demo/{name}.toml", env!("CARGO_MANIFEST_DIR"));
        greeting(&std::fs::read_to_string(path).unwrap())
    }

    #[test]
    fn zones_and_sticks_are_told() {
        let told = shipped("gestures");
        assert_eq!(told["zones"][0]["name"], "helm");
        assert_eq!(told["zones"][0]["rect"].as_array().unwrap().len(), 4);
        assert_eq!((told.get("turned"), told.get("proportion")), (None, None));
        let stick = &told["sticks"][0];
        assert_eq!((&stick["gesture"], &stick["zone"]), (&"steer".into(), &"helm".into()));
        assert_eq!((&stick["ring_mm"], stick.get("ring")), (&14.0.into(), None));
        assert_eq!(stick.get("centre"), None);
        let circle = shipped("panel")["zones"][2].clone();
        assert_eq!((&circle["name"], circle["circle"][2].as_f64()), (&"horn".into(), Some(0.12)));
    }

    /// However the rig measures it, a reader draws it in shares of the picture.
    #[rstest]
    #[case::pixels("in = \"px\"\nrect = [960, 0, 480, 540]")]
    #[case::millimetres("in = \"mm\"\nrect = [80, 0, 40, 45]")]
    #[case::a_corner("in = \"mm\"\nanchor = \"top-right\"\nrect = [40, 0, 40, 45]")]
    #[case::the_view("in = \"view\"\nrect = [320, 0, 160, 180]")]
    #[case::the_world("in = \"world\"\nrect = [100, 10, 80, 90]")]
    fn zones_of_every_space_are_in_shares(#[case] zone: &str) {
        let told = greeting(&format!(
            "rig = 1\n[surface]\npixels = [1920, 1080]\nmm = [160, 90]\nturned = 90\n\
             window = {{ at = [0, 0], size = [1920, 1080], view = [640, 360] }}\n\
             world = {{ camera = [100, 100], zoom = 2 }}\n\
             [gesture.steer]\nkind = \"stick\"\nring-mm = 16\n\
             [zone.horn]\n{zone}\n"
        ));
        let rect = told["zones"][0]["rect"].as_array().unwrap();
        let shares: Vec<f64> = rect.iter().map(|of| of.as_f64().unwrap()).collect();
        let expected = [0.5, 0.0, 0.25, 0.5];
        let is_near = |(a, b): (&f64, f64)| (a - b).abs() < 1e-6;
        assert!(shares.iter().zip(expected).all(is_near), "{shares:?}");
        assert_eq!((&told["turned"], &told["proportion"]), (&90.into(), &0.5625.into()));
        assert!((told["sticks"][0]["ring"].as_f64().unwrap() - 0.1).abs() < 1e-6, "{told}");
    }
}
