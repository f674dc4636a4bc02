//! A rig to begin with, for the devices that are there.

use gtrig_core::{ControlKind, Device, DeviceKind, Keyword, Roster};
use std::{collections::BTreeMap, fmt::Write};

/// So many actions it has; what is there besides is left to be written by hand.
const MAX_ACTIONS: usize = 200;

/// An action with what drives it.
struct Action {
    gives: &'static str,
    from: Vec<String>,
}

/// What a rig does for these devices that uses each of their sticks, triggers, buttons and
/// panels once, each for an action of its name; `name` is that of the rig. Devices that
/// have gone, keyboards but for their arrows and Space, mice, and what belongs to the machine
/// are left out.
pub fn starter(name: &str, roster: &Roster) -> String {
    let mut actions: BTreeMap<String, Action> = BTreeMap::new();
    let mut add = |action: &str, gives: &'static str, from: String| {
        let has_room = actions.len() < MAX_ACTIONS || actions.contains_key(action);
        if !has_room {
            return;
        }
        let of =
            actions.entry(action.to_owned()).or_insert_with(|| Action { gives, from: Vec::new() });
        // A control of the same name on another kind of device drives the same action, if
        // it can.
        if of.gives == gives && !of.from.contains(&from) {
            of.from.push(from);
        }
    };
    let mut has_panel = false;
    for (_, device) in roster.devices().filter(|(_, device)| device.is_connected()) {
        match device.info.kind {
            DeviceKind::System | DeviceKind::Mouse => {}
            DeviceKind::Keys => keys(device, &mut add),
            DeviceKind::Glass => has_panel = true,
            DeviceKind::Pad | DeviceKind::Lever | DeviceKind::Other => controls(device, &mut add),
        }
    }
    if has_panel {
        add("tap", "pulse", "{ gesture = \"tap\" }".to_owned());
    }
    let mut text = format!(
        "# A rig to begin with: what was plugged in, an action each. Name the actions as your game\n\
         # does. Every key of this format is explained in docs/rig-format.md.\nrig = 1\nname = {}\n\n\
         [sampling]\npoll-hz = 60\n",
        quoted(name)
    );
    if has_panel {
        text += "\n[gesture.tap]\nkind = \"tap\"\n";
    }
    for (action, Action { gives, from }) in actions {
        let from = from.join(", ");
        // Writing to a text cannot fail.
        let _ = write!(
            text,
            "\n[action.{}]\ngives = \"{gives}\"\nfrom = [{from}]\n",
            if action.contains('.') { quoted(&action) } else { action.clone() }
        );
    }
    text
}

/// A text as TOML has it.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

fn controls(device: &Device, add: &mut impl FnMut(&str, &'static str, String)) {
    let kind = device.info.kind.word();
    let has = |code: &str| device.control(code).is_some();
    let directions = ["dpad-left", "dpad-right", "dpad-up", "dpad-down"];
    let has_cross = directions.iter().all(|code| has(code));
    if has_cross {
        let [left, right, up, down] = directions;
        let cross = format!(
            "{{ cross = {{ left = \"{kind}/{left}\", right = \"{kind}/{right}\", up = \"{kind}/{up}\", down = \"{kind}/{down}\" }} }}"
        );
        add("dpad", "plane", cross);
    }
    for control in &device.info.controls {
        let code = control.code.as_str();
        let other = |ending: &str, other: &str| {
            let stick = code.strip_suffix(ending)?;
            has(&format!("{stick}{other}")).then(|| stick.to_owned())
        };
        match control.kind {
            ControlKind::Button if has_cross && directions.contains(&code) => {}
            ControlKind::Button => add(code, "on", format!("\"{kind}/{code}\"")),
            ControlKind::Trigger { .. } => {
                let press = "press-at = 0.5, release-at = 0.4";
                add(code, "on", format!("{{ control = \"{kind}/{code}\", {press} }}"));
            }
            ControlKind::Axis { .. } => match (other("-x", "-y"), other("-y", "-x")) {
                // Devices report up as minus.
                (Some(stick), _) => {
                    let shape = "dead-zone = 0.12, invert = \"y\"";
                    add(&stick, "plane", format!("{{ stick = \"{kind}/{stick}\", {shape} }}"));
                }
                (None, Some(_)) => {}
                (None, None) => {
                    add(code, "axis", format!("{{ axis = \"{kind}/{code}\", dead-zone = 0.08 }}"));
                }
            },
            ControlKind::Position { .. } | ControlKind::Relative => {}
        }
    }
}

/// Of a keyboard its arrows and Space.
fn keys(device: &Device, add: &mut impl FnMut(&str, &'static str, String)) {
    let has = |code: &str| device.control(code).is_some();
    if ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"].iter().all(|code| has(code)) {
        let cross = "{ cross = { left = \"keys/ArrowLeft\", right = \"keys/ArrowRight\", up = \"keys/ArrowUp\", down = \"keys/ArrowDown\" }, both = \"last\" }";
        add("arrows", "plane", cross.to_owned());
    }
    if has("Space") {
        add("Space", "on", "\"keys/Space\"".to_owned());
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rig::parse;
    use gtrig_core::{AxisInfo, CleanText, ControlInfo, DeviceInfo, PollRate, Rig};

    fn device(kind: DeviceKind, controls: &[(&str, ControlKind)]) -> DeviceInfo {
        let controls = controls
            .iter()
            .map(|(code, kind)| ControlInfo {
                code: (*code).to_owned(),
                kind: *kind,
                grain: AxisInfo::default(),
                bits: None,
            })
            .collect();
        let (name, bus) = (CleanText::default(), CleanText::default());
        DeviceInfo { identity: format!("{kind:?}"), kind, name, bus, slot: None, controls }
    }

    #[test]
    fn what_is_plugged_in_gets_an_action_each_and_nothing_else_does() {
        let axis = ControlKind::Axis { min: -100, centre: 0, max: 100 };
        let (button, trigger) = (ControlKind::Button, ControlKind::Trigger { min: 0, max: 255 });
        let cross = ["dpad-left", "dpad-right", "dpad-up", "dpad-down"].map(|code| (code, button));
        let pad =
            [("stick-l-x", axis), ("stick-l-y", axis), ("south", button), ("trigger-r", trigger)];
        let mut roster = Roster::default();
        let slots = &Rig::bare("", PollRate::DEFAULT).slots;
        let devices = [
            device(DeviceKind::Pad, &[&pad[..], &cross].concat()),
            device(DeviceKind::Lever, &[("travel", axis), ("thumb", button)]),
            device(DeviceKind::Other, &[("south", button), ("odd.name", button)]),
            device(DeviceKind::System, &[("Power", button)]),
            device(DeviceKind::Glass, &[]),
        ];
        for info in devices {
            roster.admit(info, slots).unwrap();
        }
        let gone = roster.admit(device(DeviceKind::Lever, &[("thumb", button)]), slots).unwrap();
        roster.dismiss(gone);
        let text = starter("Bench \"A\"", &roster);
        let rig = parse("starter", &text).unwrap_or_else(|mistakes| panic!("{mistakes}\n{text}"));
        assert_eq!(rig.name.as_str(), "Bench \"A\"");
        let names: Vec<&str> = rig.actions.iter().map(|action| action.name.as_str()).collect();
        let expected =
            ["dpad", "odd.name", "south", "stick-l", "tap", "thumb", "travel", "trigger-r"];
        assert_eq!(names, expected);
        let south = rig.actions.iter().find(|action| action.name == "south").unwrap();
        assert_eq!(south.inputs.len(), 2, "of two kinds");
    }

    #[test]
    fn a_rig_for_nothing_is_a_rig() {
        let text = starter("nothing", &Roster::default());
        assert!(parse("starter", &text).unwrap().actions.is_empty());
    }
}
