//! Addresses of messages, named on the screen.

use super::*;
use gtrig_core::{AddressMap, AddressedAs};
use gtrig_formats::addresses;
use gtrig_sources::AddressHeard;
use std::{cell::RefCell, fs, rc::Rc};

/// A source that heard these, and what it was told of names.
struct Port(Rc<RefCell<Vec<AddressHeard>>>, Rc<RefCell<AddressMap>>);

impl Source for Port {
    fn drain(&mut self, _: &mut Session, _: Nanos) {}

    fn addresses_heard(&self) -> Option<Vec<AddressHeard>> {
        Some(self.0.borrow().clone())
    }

    fn use_addresses(&mut self, map: &AddressMap) {
        *self.1.borrow_mut() = map.clone();
    }
}

fn heard(address: &str, numbers: &[f64], moved: u64) -> AddressHeard {
    let ends = numbers
        .iter()
        .copied()
        .fold([f64::MAX, f64::MIN], |[least, most], n| [least.min(n), most.max(n)]);
    AddressHeard {
        address: CleanText::new(address),
        argument: 0,
        has_arguments: !numbers.is_empty(),
        control: None,
        from: "osc-9000".to_owned(),
        last: numbers.last().copied(),
        range: (!numbers.is_empty()).then_some(ends),
        is_whole: numbers.iter().all(|n| n.fract() == 0.0),
        messages: 7,
        moved: Nanos::from_millis(moved),
    }
}

struct Room {
    bench: Bench,
    heard: Rc<RefCell<Vec<AddressHeard>>>,
    told: Rc<RefCell<AddressMap>>,
}

fn room(size: (u16, u16)) -> Room {
    let all = vec![
        heard("/crane/slew", &[-0.5, 0.25], 100),
        heard("/crane/horn", &[0.0, 1.0], 200),
        heard("/cue/go", &[], 50),
        AddressHeard { control: Some("desk/lamp".to_owned()), ..heard("/lamp", &[0.5], 10) },
    ];
    let (all, told) = (Rc::new(RefCell::new(all)), Rc::new(RefCell::default()));
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Port(Rc::clone(&all), Rc::clone(&told)))];
    let app = App::live(session, sources, None, Theme::new(true));
    Room { bench: Bench::new(app, Nanos(0), size), heard: all, told }
}

/// Types a text in the place of the one that is proposed.
fn replace(bench: &mut Bench, text: &str) {
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(text);
}

fn chosen(bench: &Bench) -> String {
    bench.rows().into_iter().find(|row| row.starts_with(['▸', ' ']) && row.contains("▸ /")).unwrap()
}

/// Listen, move, name; the names are in force, and in a file.
#[test]
fn what_moves_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("maps").join("osc.toml");
    let Room { mut bench, heard: all, told } = room((160, 47));
    bench.keys("W");
    assert!(chosen(&bench).contains("/crane/horn"), "{}", bench.rows().join("\n"));
    assert!(bench.shows("desk/lamp") && bench.shows("button from 0.5"));
    // Another one moves, and is chosen by that; but not while a name is typed.
    all.borrow_mut()[0].moved = Nanos::from_millis(300);
    bench.pass(1);
    assert!(chosen(&bench).contains("/crane/slew"));
    bench.key(KeyCode::Enter);
    all.borrow_mut()[2].moved = Nanos::from_millis(400);
    bench.pass(1);
    assert!(bench.shows("such as desk/slew: desk/slew"));
    bench.key(KeyCode::Enter);
    assert!(bench.shows("1 named"));
    // The pulse by the name of a control alone, and the horn as something else.
    bench.pass(1);
    bench.key(KeyCode::Enter);
    bench.keys("go");
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Up);
    bench.key(KeyCode::Tab);
    bench.key(KeyCode::Enter);
    bench.keys("pad-desk/loud");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("3 named") && bench.shows("pad-desk/loud"));
    bench.key(KeyCode::Esc);
    replace(&mut bench, &path.display().to_string());
    bench.key(KeyCode::Enter);
    assert!(bench.shows("3 names from"), "{}", bench.rows().join("\n"));
    let map = addresses::parse("osc.toml", &fs::read_to_string(&path).unwrap()).unwrap();
    let all: Vec<_> = map
        .at(|_| true)
        .map(|(device, _, of)| (&*map.devices[device].id, &*of.code, &*of.address, of.read_as))
        .collect();
    let expected = [
        ("pad-desk", "loud", "/crane/horn", AddressedAs::TRIGGER),
        ("desk", "go", "/cue/go", AddressedAs::Pulse),
        ("desk", "slew", "/crane/slew", AddressedAs::AXIS),
    ];
    assert_eq!(all, expected);
    assert_eq!(told.borrow().devices.len(), 2);
}

/// What was named before stays, and is named anew by the same name.
#[test]
fn names_are_added_to_those_that_are_there() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("osc.toml");
    let known = "map = 1\n[osc.in.desk.control]\nhorn = { address = \"/old\", as = \"button\" }\nbell = { address = \"/bell\", as = \"pulse\" }\n";
    fs::write(&path, known).unwrap();
    let Room { mut bench, .. } = room((80, 24));
    for key in [KeyCode::Char('W'), KeyCode::Enter, KeyCode::Enter, KeyCode::Esc] {
        bench.key(key);
    }
    replace(&mut bench, &path.display().to_string());
    bench.key(KeyCode::Enter);
    let map = addresses::parse("osc.toml", &fs::read_to_string(&path).unwrap()).unwrap();
    let all: Vec<_> = map.at(|_| true).map(|(.., of)| (&*of.code, &*of.address)).collect();
    assert_eq!(all, [("horn", "/crane/horn"), ("bell", "/bell")]);
}

#[test]
fn what_cannot_be_is_said_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let Room { mut bench, told, .. } = room((80, 24));
    bench.keys("W");
    assert!(bench.shows("/crane/slew") && bench.shows("desk/lamp"), "{}", bench.rows().join("\n"));
    bench.key(KeyCode::Enter);
    bench.keys("no name at all");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("a device and a control, such as desk/slew"));
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Esc);
    // A folder is no file: the names are still there.
    replace(&mut bench, &folder.path().display().to_string());
    bench.key(KeyCode::Enter);
    assert!(bench.shows("the names are not written") && bench.shows("1 named"));
    bench.key(KeyCode::Esc);
    bench.key(KeyCode::Esc);
    assert!(bench.shows("the names are dropped"));
    assert!(told.borrow().devices.is_empty());
}

#[test]
fn where_no_messages_are_heard_that_is_said() {
    let mut bench = Bench::live((80, 24));
    bench.keys("W");
    assert!(bench.shows("gtrig live --listen osc:9000"));
}
