use super::*;
use proptest::{collection::btree_map, option, prelude::*};
use rstest::rstest;

const SHIPPED: &str = r#"
map = 1
name = "Quay twin pedals"
kind = "other"
leave-out = ["extra-3"]

[device]
vendor = "6b71"
product = 0x0009
version = "0100"
reports-name = "Bare board"

[control]
steering = { from = "x" }
clutch = { from = "rz", as = "trigger", rest = 255, end = 0 }
drive = { from = ["brake", "gas"] }
tilt = { from = "z", as = "axis", min = 255, rest = 128, max = 0 }
up = { from = "axis-40", as = "button", among = [7, 0, 1] }
gear = { from = "ry", as = "button", at-most = 20 }
"#;

#[test]
fn a_map_says_what_controls_are_made_of() {
    let map = parse("pedals.toml", SHIPPED).unwrap();
    assert_eq!(map.device.version, Some(0x100));
    assert_eq!(map.device.name.as_deref(), Some("Bare board"));
    let from = |name: &str| {
        let control = map.controls.iter().find(|control| control.code == name);
        control.unwrap().from.clone()
    };
    let clutch = Some(ControlKind::Trigger { min: 255, max: 0 });
    assert_eq!(from("clutch"), MappedFrom::Control { code: "rz".into(), kind: clutch });
    let drive = MappedFrom::Joined { negative: "brake".into(), positive: "gas".into() };
    assert_eq!(from("drive"), drive);
    let up = Levels::Among(vec![7, 0, 1]);
    assert_eq!(from("up"), MappedFrom::Level { code: "axis-40".into(), down: up });
    assert_eq!(map.left_out, ["extra-3"]);
}

#[rstest]
#[case::version("map = 2", "2")]
#[case::nothing("", "no `map` version")]
#[case::no_device("map = 1", "no `[device]`")]
#[case::vendor("map = 1\n[device]\nvendor = \"6b711\"\nproduct = 1", "\"6b711\"")]
#[case::no_product("map = 1\n[device]\nvendor = 1", "no `product`")]
#[case::no_from("control.a = { as = \"axis\" }", "{ as")]
#[case::no_ends("control.a = { from = \"x\", as = \"trigger\", rest = 1 }", "no `end`")]
#[case::no_way("control.a = { from = \"x\", as = \"trigger\", rest = 1, end = 1 }", "from 1 to 1")]
#[case::outside(
    "control.a = { from = \"x\", as = \"axis\", min = 0, rest = 9, max = 5 }",
    "a `rest` of 9"
)]
#[case::too_large(
    "control.a = { from = \"x\", as = \"trigger\", rest = 0, end = 3000000000 }",
    "3000000000"
)]
#[case::both("control.a = { from = \"x\", as = \"button\", at-least = 1, at-most = 2 }", "several")]
#[case::three("control.a = { from = [\"x\", \"y\", \"z\"] }", "[\"x\"")]
#[case::no_name("control.\"a b\" = { from = \"x\" }", "the name `a b`")]
#[case::no_pad_name("kind = \"pad\"\ncontrol.sowth = { from = \"x\" }", "the name `sowth`")]
#[case::stray("control.a = { from = \"x\", min = 3 }", "the key `min`")]
fn mistakes_are_named(#[case] text: &str, #[case] found: &str) {
    let error = parse("bad.toml", text).unwrap_err();
    let is_named = error.problems.iter().any(|problem| problem.found.contains(found));
    assert!(is_named, "{error}");
}

fn any_code() -> impl Strategy<Value = String> {
    "[a-z][a-z0-9-]{0,39}"
}

fn any_from() -> impl Strategy<Value = MappedFrom> {
    let kind = prop_oneof![
        Just(None),
        Just(Some(ControlKind::Button)),
        any::<(i32, i32)>()
            .prop_filter("a way to go", |(min, max)| min != max)
            .prop_map(|(min, max)| Some(ControlKind::Trigger { min, max })),
        any::<[i32; 3]>().prop_map(|mut ends| {
            let is_turned = ends[0] > ends[2];
            ends.sort_unstable();
            if is_turned {
                ends.reverse();
            }
            let [min, centre, max] = ends;
            Some(ControlKind::Axis { min, centre, max })
        }),
    ];
    let down = prop_oneof![
        any::<i32>().prop_map(Levels::AtLeast),
        any::<i32>().prop_map(Levels::AtMost),
        proptest::collection::vec(any::<i32>(), 1..5).prop_map(Levels::Among),
    ];
    prop_oneof![
        (any_code(), kind).prop_map(|(code, kind)| MappedFrom::Control { code, kind }),
        (any_code(), down).prop_map(|(code, down)| MappedFrom::Level { code, down }),
        (any_code(), any_code())
            .prop_map(|(negative, positive)| MappedFrom::Joined { negative, positive }),
    ]
}

proptest! {
    /// What is written is read as it was.
    #[test]
    fn a_map_comes_back(
        numbers in any::<(u16, u16, Option<u16>)>(),
        names in (option::of("\\PC{0,30}"), option::of("\\PC{1,30}")),
        controls in btree_map(any_code(), any_from(), 0..8),
        left_out in proptest::collection::vec(any_code(), 0..3),
        is_raw in any::<bool>(),
    ) {
        let (vendor, product, version) = numbers;
        let control = |(code, from)| MappedControl { code, from };
        let map = DeviceMap {
            device: DeviceMatch { vendor, product, version, name: names.1, is_raw },
            name: names.0.as_deref().map(CleanText::new),
            kind: Some(DeviceKind::Other),
            controls: controls.into_iter().map(control).collect(),
            left_out,
        };
        let text = write(&map);
        prop_assert_eq!(parse("map.toml", &text).unwrap(), map, "{}", text);
    }
}

/// The example of the documents is sound, and has all that they speak of.
#[test]
fn the_documents_show_a_sound_map() {
    let document = include_str!("../../../../docs/map-format.md");
    let example = document.split("```toml\n").nth(1).unwrap().split("```").next().unwrap();
    let map = parse("map-format.md", example).unwrap();
    assert_eq!(map.controls.len(), 8);
}
