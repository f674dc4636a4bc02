//! Every number of rigs that nobody wrote by hand, set and read back.

use super::*;
use crate::rig::parse;
use gtrig_core::{Knob, ZoneId, tunable};
use proptest::{prelude::*, sample::Index};

/// What a rig may be made of; `<name>` stands for a number that the tunable of that name
/// allows, `<T>` for a time in the text of a step, `<N>` for the number of the part.
const PARTS: &[&str] = &[
    "[zone.z<N>]\npolygon = [[0.1, 0.1], [<polygon>, 0.2], [0.5, 0.75]]\n",
    "[zone.z<N>]\nin = \"mm\"\npolygon = [\n  [1, 2], # first\n  [30, 5.5],\n  [12, 40],\n]\n",
    "[[edge]]\nof = \"pad\"\ndebounce-ms = <debounce-ms>\nstuck-after-s = <stuck-after-s>\n",
    "[shape.s<N>]\ncalibrate-x = [-100, 0, 100]\nstages = [\n  { offset = [<offset>, <offset>] },\n  { dead-zone = <dead-zone>, outer = 1 }, # worn\n  { curve = \"power\", exponent = <exponent> },\n]\n",
    "[shape.s<N>]\nstages = [{ scale = <scale> }, { dead-zone = 0.1, on = \"sloped\", slope = <slope> }, { curve = \"blend\", cubic = <cubic> }, { half-life-ms = <half-life-ms> }]\n",
    "[shape.s<N>]\nstages = [{ curve = \"s\", steepness = <steepness> }, { sensitivity = <sensitivity> }, { turn-limit = <turn-limit> }, { directions = 8, hysteresis = <hysteresis> }]\n",
    "[shape.s<N>]\nstages = { steady-hz = <steady-hz>, follow = <follow> }\n",
    "[zone.z<N>]\nrect = [0.1, 0.2, 0.3, 0.4]\n",
    "[zone.z<N>]\nin = \"mm\"\ncircle = [<circle>, <circle>, 12.5]\nanchor = \"bottom-right\"\n",
    "[gesture.g<N>]\nkind = \"tap\"\ntimes = 2\nlift-ms = <lift-ms>\ngap-ms = <gap-ms>\n",
    "[gesture.g<N>]\nkind = \"swipe\"\nlength-mm = <length-mm>\nstraight = <straight>\nspeed-mm-s = <speed-mm-s>\n",
    "[gesture.g<N>]\nkind = \"press\"\nlengths-in = \"share\"\nhold-ms = <hold-ms>\n",
    "[gesture.g<N>]\nkind = \"aim\"\norigin = [0.5, <origin>]\n",
    "[gesture.g<N>]\nkind = \"aim\"\n",
    "[gesture]\ng<N> = { kind = \"aim\" }\n",
    "[gesture.g<N>]\nkind = \"aim\"\norigin = { x = \"other/boom-x\", y = \"other/boom-y\" }\n",
    "[gesture.g<N>]\nkind = \"stick\"\ncentre = \"fixed\"\nat = [<at>, 0.5]  # of the left thumb\n",
    "[shape.s<N>]\nstages = [{ curve = \"points\", points = [[0.25, 0.1], [0.5, 0.5], [0.75, 0.9]] }]\n",
    "[gesture.g<N>]\nkind = \"pinch\"\n",
    "[action.a<N>]\ngives = \"plane\"\nfrom = { stick = \"pad/stick-l\", dead-zone = 0.1 }\n",
    "[action.a<N>]\ngives = \"on\"\nfrom = [{ control = \"pad/trigger-r\" }, \"keys/KeyG\"]\n",
    "[action.a<N>]\ngives = \"on\"\nfrom = { control = \"pad/trigger-l\", press-at = 0.75, release-at = 0.25 }\n",
    "[action.a<N>]\ngives = \"axis\"\nfrom = [\"pad/trigger-l\", { axis = \"pad/stick-l-x\", sensitivity = <sensitivity> }]\n",
    "[combo.c<N>]\nsteps = \"tap south, press east within <T>\"\nall-within = \"<T>\"\n",
    "[combo.c<N>]\nsteps = [\n  \"press south\",  # first\n  \"press east after 100 ms within <T> buffered 40 ms\",\n]\n",
    "[combo.c<N>]\nsteps = ['hold west for <T>', 'release west within <T> unless east']\n",
    "[combo.c<N>]\nsteps = \"together south and east in <T>, quiet for <T>\"\n",
    "[combo.c<N>]\nsteps = \"quiet for <T>, press south 3 times within <T>\"\nclock = \"ticks\"\n",
    "[combo.c<N>]\nsteps = \"tap south in <T>, tap south within <T> after 2 ticks\"\n",
    "[combo.c<N>]\nsteps = \"press south exactly 2 times within <T>\"\n",
    "[combo.c<N>]\nsteps = \"tap north 2 times in <T> within <T>\"\n",
    "[combo.c<N>]\nsteps = \"hold north for <T> within <T>, together south and west in order in <T> after 30 ms within <T>\"\n",
    "[combo]\nc<N> = { steps = \"press south, hold east for <T> within <T>\", all-within = \"<T>\" }\n",
    "[combo.c<N>]\nsteps = [\"press south, hold east for <T> within <T>\"]\n",
    "[combo.c<N>]\nsteps = \"\"\"\n  press south,\n  tap east in <T> within <T> unless west\n\"\"\"\n",
    "[combo.c<N>]\nsteps = \"press\\tsouth,\\u0020hold east for <T>  within  <T> \"\n",
    "[combo.c<N>]\nsteps = [\"together south and east\", \"press west within <T>\", \"quiet for <T>\",]\n",
    "[combo.d<N>]\nsteps = \"press south, press east within <T>\"\n[combo.c<N>]\nsteps = \"do d<N> 2 times within <T>, press west within <T>\"\nall-within = '<T>'\n",
    "[combo.d<N>]\nsteps = \"press south exactly 2 times within <T>\"\n[combo.c<N>]\nsteps = \"do d<N>\"\n",
    "[combo.d<N>]\nsteps = \"quiet for <T>, hold south for <T>\"\n[combo.c<N>]\nsteps = \"do d<N>, tap east within <T>\"\n",
    "[combo.d<N>]\nsteps = \"together south and east in <T>, tap west 2 times in <T> within <T>\"\n[combo.c<N>]\nsteps = \"tap east, do d<N> 2 times within <T>\"\n[combo.e<N>]\nsteps = \"do d<N>, do c<N> within <T>, press north after <T> within <T>\"\n",
    "[combo.d<N>]\nsteps = [\"hold south for <T>\", \"press east after 30 ms within <T> buffered 20 ms\"]\n[combo.c<N>]\nsteps = [\"press north\", \"do d<N> within <T>\"]\n",
    "[combo.c<N>]\nstrict = true\nmirror-while = \"action/m<N>\"\nsteps = \"tap dpad-left, press dpad-right after <T> within <T>\"\n[action.m<N>]\ngives = \"toggle\"\nfrom = \"pad/select\"\n",
    "[combo.c<N>]\nsteps = \"press south exactly 3 times within <T>, hold east for <T>\"\n",
    "[combo.c<N>]\nsteps = \"hold south for <T>, release south, quiet for <T>\"\n",
    "combo.c<N>.steps = \"tap east in <T>, tap south within <T>\"\n",
    "[action]\na<N> = { gives = \"axis\", from = [{ axis = \"pad/stick-l-x\", dead-zone = 0.2 }] }\n",
    "[[action.a<N>.from]]\naxis = \"pad/stick-l-x\"\ndead-zone = 0.25\n\n[action.a<N>]\ngives = \"axis\"\n",
    "[surface]\npixels = [1920, 1080]\nwindow = { at = [0, 0], size = [1920, 1080], view = [1280, 720] }\nworld = { camera = [<camera>, 40], zoom = 2 }\n",
    "[main]\nuse-at = <use-at>\n",
    "[yard.trolley]\nspeed = <speed>\nacceleration = <acceleration>\nbraking = <braking>\n",
];

/// What the checker says of a combo whose times allow nothing.
const NEVER_MET: &str = "it can never be met";

/// What it says of a zone whose corner was moved to the wrong side.
const CROSSES: &str = "does not cross itself";

/// Drawn numbers, a share of a range each, and how many decimals are written.
type Draw = (f64, usize);

/// A number of a range.
fn number(min: f64, max: f64, (share, decimals): Draw) -> String {
    let number = min + (max - min) * share;
    let text = format!("{number:.decimals$}");
    let rounded: f64 = text.parse().unwrap();
    if (min..=max).contains(&rounded) { text } else { format!("{min}") }
}

fn time(draw: Draw) -> String {
    match draw.1 {
        0 => format!("{} ticks", number(1.0, 60.0, draw)),
        1 => format!("{} s", number(0.1, 2.0, draw)),
        _ => format!("{} ms", number(10.0, 900.0, draw)),
    }
}

/// Fills in a part.
fn filled(part: &str, n: usize, draws: &[Draw]) -> String {
    let mut draws = draws.iter().cycle();
    let mut text = String::new();
    let mut rest = part;
    while let Some((before, after)) = rest.split_once('<') {
        let (name, after) = after.split_once('>').unwrap();
        text += before;
        text += &match name {
            "N" => n.to_string(),
            "T" => time(*draws.next().unwrap()),
            _ => {
                let of = tunable::ALL.iter().find(|t| t.name == name);
                let of = of.unwrap_or_else(|| panic!("no tunable {name}"));
                number(of.min, of.max, *draws.next().unwrap())
            }
        };
        rest = after;
    }
    text + rest
}

fn rig_text() -> impl Strategy<Value = String> {
    let draws = prop::collection::vec((0.0..=1.0f64, 0usize..4), 6);
    let part = (prop::sample::select(PARTS), draws);
    prop::collection::vec(part, 1..5).prop_map(|parts| {
        let parts = parts.iter().enumerate().map(|(n, (part, draws))| filled(part, n, draws));
        "rig = 1\n".to_owned() + &parts.collect::<Vec<_>>().join("\n")
    })
}

/// What a number may be set to: where a nudge leads, an end, or anything between.
#[derive(Clone, Debug)]
enum Set {
    Up,
    Down,
    Least,
    Most,
    Any(Draw),
}

impl Set {
    fn of(&self, Knob { tunable, value, .. }: &Knob) -> f64 {
        match self {
            Set::Up => value + tunable.step,
            Set::Down => value - tunable.step,
            Set::Least => tunable.min,
            Set::Most => tunable.max,
            Set::Any(draw) => number(tunable.min, tunable.max, *draw).parse().unwrap(),
        }
    }
}

fn set() -> impl Strategy<Value = Set> {
    prop_oneof![
        Just(Set::Up),
        Just(Set::Down),
        Just(Set::Least),
        Just(Set::Most),
        (0.0..=1.0f64, 0usize..8).prop_map(Set::Any),
    ]
}

/// What a person does to a rig.
#[derive(Clone, Debug)]
enum Change {
    Number(Index, Set),
    /// A zone is dragged by the mouse, or stretched.
    Zone(Index, [f32; 2], bool),
}

impl Change {
    fn made(&self, rig: &Rig) -> Rig {
        match self {
            Change::Zone(which, to, moves) if !rig.zones.is_empty() => {
                let at = which.index(rig.zones.len());
                let outline = &rig.zones[at].outline;
                let outline =
                    if *moves { outline.moved_to(*to) } else { outline.stretched_to(*to, 0.0) };
                rig.with_zone(ZoneId(at as u8), &outline)
            }
            Change::Number(which, set) => {
                let knobs = rig.knobs();
                let knob = which.get(&knobs);
                rig.with(&knob.place, set.of(knob))
            }
            Change::Zone(..) => rig.clone(),
        }
    }
}

fn change() -> impl Strategy<Value = Change> {
    prop_oneof![
        4 => (any::<Index>(), set()).prop_map(|(which, set)| Change::Number(which, set)),
        1 => (any::<Index>(), prop::array::uniform2(-0.5f32..40.0), any::<bool>())
            .prop_map(|(which, to, moves)| Change::Zone(which, to, moves)),
        1 => (any::<Index>(), prop::array::uniform2(-0.2f32..1.2), any::<bool>())
            .prop_map(|(which, to, moves)| Change::Zone(which, to, moves)),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { max_global_rejects: 100_000, ..ProptestConfig::with_cases(2_000) })]

    /// What is read back is exactly what was set.
    #[test]
    fn a_number_is_read_back_as_it_was_set(
        text in rig_text(),
        changes in prop::collection::vec(change(), 1..4),
    ) {
        let rig = parse("t", &text);
        // Parts that do not go with each other make no sound rig.
        prop_assume!(rig.is_ok());
        let rig = rig.unwrap();
        prop_assert_eq!(update_numbers(&text, &rig).unwrap(), text.clone(), "nothing to write");
        let mut wanted = rig;
        for change in changes {
            wanted = change.made(&wanted);
        }
        let written = update_numbers(&text, &wanted);
        // Numbers may be good each by itself, and not with each other.
        let is_sound = !written.as_ref().is_err_and(|e| {
            [NEVER_MET, CROSSES].iter().any(|said| e.to_string().contains(said))
        });
        prop_assume!(is_sound);
        prop_assert!(written.is_ok(), "{}\n{}", text, written.unwrap_err());
        let written = written.unwrap();
        let read = parse("t", &written);
        prop_assert!(read.is_ok(), "{}\nbecame\n{}\n{}", text, written, read.unwrap_err());
        let read = read.unwrap();
        prop_assert!(read.knobs() == wanted.knobs(), "{}\nbecame\n{}", text, written);
        prop_assert!(read == wanted, "{}\nbecame\n{}", text, written);
    }
}
