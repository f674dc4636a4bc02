//! A real browser with real touch, and the real program.

#[path = "common/browser.rs"]
mod browser;
#[path = "common/command.rs"]
mod command;
#[path = "common/mod.rs"]
mod common;

use browser::{Browser, Ending};
use command::demo;
use common::Tmux;
use nix::{
    sys::signal::{Signal, kill},
    unistd::Pid,
};
use rstest::rstest;
use serde_json::{Value, json};
use std::{
    fs,
    io::{BufRead, BufReader, Lines, Write},
    net::TcpListener,
    path::PathBuf,
    process::{ChildStderr, Command, Stdio},
};

/// `gtrig record` with a page, until it is told to end.
struct Recording {
    process: Ending,
    address: String,
    said: Lines<BufReader<ChildStderr>>,
    take: PathBuf,
    _folder: tempfile::TempDir,
}

impl Recording {
    fn start(place: &str) -> Self {
        Self::by(&demo("panel.toml"), place)
    }

    /// The same by this rig.
    fn by(rig: &str, place: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let take = folder.path().join("page.take.jsonl");
        let mut child = Command::new(env!("CARGO_BIN_EXE_gtrig"))
            .args(["record", "--kernel", "none", "--rig", rig, "--listen", place])
            .arg(&take)
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let said = BufReader::new(child.stderr.take().unwrap()).lines();
        let (process, address) = (Ending(child), String::new());
        let mut recording = Recording { process, address, said, take, _folder: folder };
        recording.address = recording.next_address();
        recording
    }

    /// The address that lets the next browser in, once it is said.
    fn next_address(&mut self) -> String {
        let said = self.said.by_ref().map_while(Result::ok);
        let at = |line: String| Some(line.split_once("the page is at ")?.1.to_owned());
        said.filter_map(at).next().unwrap()
    }

    /// Ends it, and returns the lines of the take.
    fn end(mut self) -> Vec<Value> {
        kill(Pid::from_raw(self.process.0.id() as i32), Signal::SIGINT).unwrap();
        assert!(self.process.0.wait().unwrap().success());
        let text = fs::read_to_string(&self.take).unwrap();
        text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    }
}

/// The values of a control, with their marks; but that one came late, as on a busy machine any
/// may, is left out.
fn values(take: &[Value], device: &str, control: &str) -> Vec<(i64, String)> {
    let is_its = |line: &&Value| line["on"] == device && line["c"] == control;
    let of = |line: &Value| {
        let marks = line["mark"].as_str().unwrap_or_default().split('+');
        let marks: Vec<&str> = marks.filter(|mark| *mark != "late").collect();
        (line["v"].as_i64().unwrap(), marks.join("+"))
    };
    take.iter().filter(is_its).map(of).collect()
}

fn plain(values: &[(i64, String)]) -> Vec<i64> {
    values.iter().map(|(value, _)| *value).collect()
}

/// The line that plugs a device in whose name has this.
fn plugged<'t>(take: &'t [Value], name: &str) -> &'t Value {
    let has = |line: &&Value| line["name"].as_str().is_some_and(|of| of.contains(name));
    take.iter().filter(|line| line.get("plug").is_some()).find(has).unwrap()
}

/// Two fingers at once, in a take: where they landed, how they moved, that the panel took one
/// back; and keys beside them.
#[test]
fn fingers_and_keys_of_a_browser_are_recorded() {
    let recording = Recording::start("page:127.0.0.1:0");
    let mut browser = Browser::open(&recording.address);
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();
    let at = |x: f64, y: f64| [left + x * width, top + y * height];
    browser.touch("touchStart", &[(0, at(0.25, 0.5))]);
    browser.touch("touchStart", &[(0, at(0.25, 0.5)), (1, at(0.75, 0.5))]);
    browser.touch("touchMove", &[(0, at(0.25, 0.75)), (1, at(0.75, 0.25))]);
    // Who is no longer named has lifted.
    browser.touch("touchMove", &[(1, at(0.75, 0.25))]);
    browser.touch("touchCancel", &[]);
    for what in ["keyDown", "keyUp"] {
        let key = json!({ "type": what, "code": "KeyH", "key": "h" });
        browser.call("Input.dispatchKeyEvent", key);
    }
    // All of it has arrived when what comes of the last finger has come back.
    browser.touch("touchStart", &[(2, at(0.5, 0.62))]);
    browser.wait_for("news", "● horn");
    browser.touch("touchEnd", &[]);
    browser.wait_for("news", "nothing acts");
    let take = recording.end();
    let glass = plugged(&take, "fingers on the page");
    let (glass, controls) =
        (glass["plug"].as_str().unwrap(), glass["controls"].as_array().unwrap());
    assert_eq!(controls.len(), 40, "ten contacts: touch, place, pressure");
    let range = |code: &str| {
        let control = controls.iter().find(|control| control["code"] == code).unwrap();
        control["max"].as_f64().unwrap()
    };
    assert_eq!(plain(&values(&take, glass, "contact-1")), [1, 0, 1, 0]);
    assert_eq!(
        values(&take, glass, "contact-2"),
        [(1, String::new()), (0, "cancelled".to_owned())]
    );
    let shares = |code: &str| -> Vec<f64> {
        let max = range(code);
        let round = |value: i64| (value as f64 / max * 100.0).round() / 100.0;
        plain(&values(&take, glass, code)).into_iter().map(round).collect()
    };
    assert_eq!(shares("contact-1-y")[..2], [0.5, 0.75]);
    assert_eq!(shares("contact-2-x"), [0.75]);
    assert_eq!(shares("contact-2-y"), [0.5, 0.25]);
    let keys = plugged(&take, "keys of the page")["plug"].as_str().unwrap();
    assert_eq!(plain(&values(&take, keys, "KeyH")), [1, 0]);
}

/// A mouse that points, presses and turns its wheel, and a pen that hovers before it touches.
#[test]
fn a_mouse_and_a_pen_are_devices_of_their_own() {
    let recording = Recording::start("page:127.0.0.1:0");
    let mut browser = Browser::open(&recording.address);
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();
    let mut point = |what: &str, kind: &str, [x, y]: [f64; 2], pressed: u8| {
        let place = json!({
            "type": what, "pointerType": kind, "x": left + x * width, "y": top + y * height,
            "button": if pressed > 0 || what == "mouseReleased" { "left" } else { "none" },
            "buttons": pressed, "clickCount": u8::from(what == "mousePressed"),
            "deltaX": 0, "deltaY": if what == "mouseWheel" { -200 } else { 0 },
            "force": if pressed > 0 { 0.5 } else { 0.0 },
        });
        browser.call("Input.dispatchMouseEvent", place);
    };
    point("mouseMoved", "mouse", [0.5, 0.25], 0);
    point("mousePressed", "mouse", [0.5, 0.25], 1);
    point("mouseReleased", "mouse", [0.5, 0.25], 0);
    point("mouseWheel", "mouse", [0.5, 0.25], 0);
    point("mouseMoved", "pen", [0.25, 0.5], 0);
    point("mousePressed", "pen", [0.25, 0.5], 1);
    point("mouseMoved", "pen", [0.25, 0.75], 1);
    point("mouseReleased", "pen", [0.25, 0.75], 0);
    // All of it has arrived when a finger that comes after it has.
    browser.touch("touchStart", &[(0, [left + width * 0.5, top + height * 0.62])]);
    browser.wait_for("news", "● horn");
    let take = recording.end();
    let mouse = plugged(&take, "mouse on the page")["plug"].as_str().unwrap();
    assert_eq!(plain(&values(&take, mouse, "left")), [1, 0]);
    assert_eq!(plain(&values(&take, mouse, "wheel-y")), [2], "upwards is more");
    assert_eq!(values(&take, mouse, "x").len(), 1);
    let pen = plugged(&take, "pen on the page")["plug"].as_str().unwrap();
    assert_eq!(plain(&values(&take, pen, "contact-1")), [1, 0]);
    assert_eq!(values(&take, pen, "contact-1-y").len(), 2, "where it hovered, and where it moved");
    let pressed = plain(&values(&take, pen, "contact-1-pressure"));
    assert!((500..524).contains(&pressed[0]) && pressed.last() == Some(&0), "{pressed:?}");
}

/// What the browser would say of a pad in the standard layout, and of one whose layout it does
/// not know.
const PADS: &str = r#"{
    const button = (value) => ({ value, pressed: value > 0.5 });
    const pad = (index, mapping, at) => ({
        index, mapping, connected: true, id: `test pad ${index}`, timestamp: at,
        buttons: Array.from({ length: 17 }, (_, n) => button(at > 1 && n === 0 ? 1 : n === 7 ? 0.5 : 0)),
        axes: [at > 1 ? -1 : 0, 0.25, 0, 0],
    });
    window.padsAt = 1;
    window.padsThere = ["standard", ""];
    navigator.getGamepads = () =>
        [null, ...window.padsThere.map((mapping, n) => pad(n + 1, mapping, window.padsAt))];
}"#;

/// Pads by the standard layout have the names of the kernel's; of any other the numbers.
#[test]
fn pads_of_the_browser_are_pads() {
    let recording = Recording::start("page:127.0.0.1:0");
    let mut browser = Browser::open_after(&recording.address, PADS);
    browser.wait_for("state", "● connected");
    browser.value("window.padsAt = 2");
    // It is looked at every few milliseconds; then one of them goes.
    let looked = "new Promise((done) => setTimeout(done, 100))";
    let waited = json!({ "expression": looked, "awaitPromise": true });
    browser.call("Runtime.evaluate", waited.clone());
    browser.value("window.padsThere = ['standard']");
    browser.call("Runtime.evaluate", waited);
    let [left, top, width, height] = browser.panel();
    browser.touch("touchStart", &[(0, [left + width * 0.5, top + height * 0.62])]);
    browser.wait_for("news", "● horn");
    let take = recording.end();
    let pad = plugged(&take, "test pad 1")["plug"].as_str().unwrap();
    assert_eq!(plain(&values(&take, pad, "south")), [1]);
    assert_eq!(plain(&values(&take, pad, "trigger-r")), [128]);
    assert_eq!(plain(&values(&take, pad, "stick-l-x")), [-32767]);
    assert_eq!(plain(&values(&take, pad, "stick-l-y")), [8192]);
    let other = plugged(&take, "test pad 2")["plug"].as_str().unwrap();
    assert_eq!(plain(&values(&take, other, "button-0")), [1]);
    assert_eq!(plain(&values(&take, other, "axis-0")), [-32767]);
    assert!(
        take.iter().any(|line| line["unplug"] == other)
            && take.iter().all(|line| line["unplug"] != pad)
    );
}

/// The way breaks under a held finger, and comes back: the same panel, and no second press.
#[test]
fn a_page_comes_again_when_the_way_was_broken() {
    let recording = Recording::start("page:127.0.0.1:0");
    let (origin, key) = recording.address.split_once("/#").unwrap();
    let server = origin.strip_prefix("http://").unwrap().to_owned();
    // A port that is free now; the relay takes it over.
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let relay = || {
        let relay = Command::new("socat")
            .arg(format!("TCP-LISTEN:{port},bind=127.0.0.1,fork,reuseaddr"))
            .arg(format!("TCP:{server}"))
            .spawn();
        Ending(relay.unwrap())
    };
    let cut = |relay: Ending| {
        // Those that it made for each connection go with it.
        let id = relay.0.id().to_string();
        let _ = Command::new("pkill").args(["-KILL", "-P", &id]).status();
        drop(relay);
    };
    let first = relay();
    while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() {}
    let mut browser = Browser::open(&format!("http://127.0.0.1:{port}/#{key}"));
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();
    let at = [left + width * 0.25, top + height * 0.5];
    browser.touch("touchStart", &[(0, at)]);
    browser.wait_for("news", "● walk-left");
    cut(first);
    browser.wait_for("state", "no connection");
    let second = relay();
    browser.wait_for("state", "● connected");
    browser.touch("touchEnd", &[]);
    browser.wait_for("news", "nothing acts");
    cut(second);
    let take = recording.end();
    let devices = take.iter().filter(|line| {
        line["name"].as_str().is_some_and(|name| name.contains("fingers on the page"))
    });
    let ids: Vec<&str> = devices.map(|line| line["plug"].as_str().unwrap()).collect();
    assert!(ids.len() >= 2 && ids.iter().all(|id| *id == ids[0]), "{ids:?}");
    let told = values(&take, ids[0], "contact-1");
    assert_eq!(plain(&told), [1, 1, 0], "{told:?}");
    assert_eq!((told[0].1.as_str(), told[1].1.as_str()), ("", "carried"));
}

/// The key of the address that is shown, whose end is in the next row, once all of it is there.
fn key_on(screen: &str) -> Option<String> {
    let (_, rest) = screen.split_once("/#k=")?;
    let of_key = |text: &str| text.chars().take_while(char::is_ascii_hexdigit).collect::<String>();
    let row = rest.lines().nth(1)?.split('║').nth(1)?;
    let key = of_key(rest) + &of_key(row.split_whitespace().last()?);
    (key.len() == 32).then_some(key)
}

/// The full screen shows the address until somebody comes; then the zones of the rig are under
/// the finger, what it drives is on both screens, and a rig that is nudged is drawn anew.
#[test]
fn the_full_screen_and_the_page_show_the_same() {
    let gtrig = env!("CARGO_BIN_EXE_gtrig");
    let rig = demo("panel.toml");
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let tmux = Tmux::start(
        "page",
        (160, 50),
        &format!("{gtrig} live --kernel none --rig {rig} --page-tls 127.0.0.1:{port}"),
    );
    tmux.wait_for_all(&["the page", "Point a camera here", "SHA-256"]);
    let shown = || key_on(&tmux.wait("an address", |screen| key_on(screen).is_some())).unwrap();
    let key = shown();
    let mut browser = Browser::open(&format!("https://127.0.0.1:{port}/#k={key}"));
    browser.wait_for("state", "● connected");
    tmux.wait("no address", |screen| !screen.contains("Point a camera here"));
    let [left, top, width, height] = browser.panel();
    browser.touch("touchStart", &[(0, [left + width * 0.75, top + height * 0.5])]);
    browser.wait_for("news", "● walk-right");
    tmux.wait("the action", |screen| {
        screen.lines().any(|row| row.contains("walk-right")) && screen.contains("● on")
    });
    browser.touch("touchEnd", &[]);
    browser.wait_for("news", "nothing acts");
    // The address for the next one comes when it is asked for.
    tmux.keys(&["Q"]);
    assert_ne!(shown(), key);
    tmux.keys(&["Escape"]);
    tmux.wait("no address", |screen| !screen.contains("Point a camera here"));
    // The bench of the streams has the page as a sender.
    tmux.keys(&["4"]);
    tmux.wait("the sender", |screen| {
        screen.lines().any(|row| row.contains("phone-") && row.contains("● here"))
    });
}

/// However the rig says that the panel is turned, and in whatever proportion its picture is: a
/// zone that acts is drawn where the core has it. What is drawn is read off the panel, pixel by
/// pixel.
#[rstest]
fn zones_are_drawn_where_fingers_reach_them(
    #[values(0, 90, 180, 270)] turned: i64,
    #[values("", "mm = [90, 160]\n")] mm: &str,
    #[values(
        "rect = [0.1, 0.05, 0.5, 0.3]",
        "circle = [0.6, 0.55, 0.3]",
        "polygon = [[0.1, 0.3], [0.9, 0.4], [0.5, 0.9]]"
    )]
    zone: &str,
) {
    let text = format!(
        "rig = 1\n[surface]\nturned = {turned}\n{mm}\n[zone.horn]\n{zone}\n\
         [action.horn]\ngives = \"on\"\nfrom = {{ zone = \"horn\" }}\n"
    );
    let mut file = tempfile::NamedTempFile::with_suffix(".toml").unwrap();
    file.write_all(text.as_bytes()).unwrap();
    let recording = Recording::by(file.path().to_str().unwrap(), "page:127.0.0.1:0");
    let mut browser = Browser::open(&recording.address);
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();

    let rig = gtrig_formats::rig::parse("rig.toml", &text).unwrap();
    let (turn, outline) = (rig.surface.turn, &rig.zones[0].outline);
    let [wide, high] = rig.surface.mm.unwrap_or(turn.size([width as f32, height as f32]));
    let corners = outline.bounds(high / wide);
    let on_panel = |x: usize, y: usize| turn.back().apply([corners[x], corners[y]]);
    let (one, other) = (on_panel(0, 1), on_panel(2, 3));
    let middle = [0, 1].map(|axis| f64::from(one[axis] + other[axis]) / 2.0);

    browser.touch("touchStart", &[(0, [left + middle[0] * width, top + middle[1] * height])]);
    browser.wait_for("news", "● horn");
    let drawn = browser.coloured("panel", [0x57, 0xe0, 0x7a]);
    for (axis, size) in [width, height].into_iter().enumerate() {
        let [low, high] = [one[axis].min(other[axis]), one[axis].max(other[axis])];
        for (drawn, expected) in [(drawn[axis], low), (drawn[axis + 2], high)] {
            let expected = f64::from(expected).clamp(0.0, 1.0) * size;
            // A line is four pixels wide, and reaches a little beyond a pointed corner.
            assert!((drawn - expected).abs() <= 5.0, "axis {axis}: {drawn}, not {expected}");
        }
    }
    recording.end();
}

/// What a browser gathered of a move comes one by one; of two fingers in the order in which it
/// happened, though the browser tells of one finger after the other.
#[test]
fn gathered_moves_come_one_by_one_and_in_order() {
    let noted = "window.pointers = []; addEventListener('pointerdown', \
                 ({ pointerId }) => window.pointers.push(pointerId), true)";
    let recording = Recording::start("page:127.0.0.1:0");
    let mut browser = Browser::open_after(&recording.address, noted);
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();
    let at = |x: f64| [left + x * width, top + height * 0.5];
    browser.touch("touchStart", &[(0, at(0.25)), (1, at(0.75))]);
    browser.wait_for("news", "● walk-right");
    // The parts of both are made in turn, and so are their times; then each is told as one move.
    browser.value(
        "(() => {
            const panel = document.getElementById('panel');
            const made = (pointerId, x, coalescedEvents) => new PointerEvent('pointermove', {
                pointerId, pointerType: 'touch', clientX: x, clientY: 400, pressure: 0.5,
                bubbles: true, coalescedEvents,
            });
            const parts = [[], []];
            for (let n = 1; n <= 3; n++) {
                for (const finger of [0, 1]) {
                    const until = performance.now() + 2;
                    while (performance.now() < until);
                    parts[finger].push(made(window.pointers[finger], 100 + 100 * finger + n));
                }
            }
            for (const finger of [1, 0]) {
                panel.dispatchEvent(made(window.pointers[finger], 0, parts[finger]));
            }
        })()",
    );
    browser.touch("touchEnd", &[]);
    browser.wait_for("news", "nothing acts");
    let take = recording.end();
    let glass = plugged(&take, "fingers on the page")["plug"].as_str().unwrap();
    let moves = take.iter().filter(|line| line["on"] == glass);
    let moves: Vec<(&str, i64)> = moves
        .filter_map(|line| Some((line["c"].as_str()?, line["v"].as_i64()?)))
        .filter(|(code, _)| code.ends_with("-x"))
        .skip(2)
        .collect();
    let x = |n: i64, finger: i64| (100 + 100 * finger + n - left as i64) * 16;
    let expected: Vec<(&str, i64)> =
        (1..=3).flat_map(|n| [("contact-1-x", x(n, 0)), ("contact-2-x", x(n, 1))]).collect();
    assert_eq!(moves, expected);
    assert!(take.iter().all(|line| !line["mark"].to_string().contains("disordered")));
}

/// While the network does not keep up lines are left out; then everything is said again, and that
/// some were lost stands in the take.
#[test]
fn what_the_network_did_not_take_is_said_again() {
    let stuck = "Object.defineProperty(WebSocket.prototype, 'bufferedAmount', \
                 { get() { return window.isStuck ? 1e9 : 0; } })";
    let recording = Recording::start("page:127.0.0.1:0");
    let mut browser = Browser::open_after(&recording.address, stuck);
    browser.wait_for("state", "● connected");
    let [left, top, width, height] = browser.panel();
    let at = [left + width * 0.25, top + height * 0.5];
    browser.touch("touchStart", &[(0, at)]);
    browser.wait_for("news", "● walk-left");
    browser.value("window.isStuck = true");
    browser.touch("touchEnd", &[]);
    browser.touch("touchStart", &[(0, [left + width * 0.75, top + height * 0.5])]);
    browser.value("window.isStuck = false");
    browser.wait_for("news", "● walk-right");
    browser.touch("touchEnd", &[]);
    browser.wait_for("news", "nothing acts");
    let take = recording.end();
    let glass = plugged(&take, "fingers on the page")["plug"].as_str().unwrap();
    // The release and the second landing are not known of; the place where it is now is.
    let told = values(&take, glass, "contact-1");
    assert_eq!(plain(&told), [1, 1, 0], "{told:?}");
    assert_eq!(told[1].1, "resynced");
}

/// Two pages of one name: the older says what to do, and comes again under another name.
#[test]
fn two_pages_of_one_name_do_not_fight() {
    let mut recording = Recording::start("page:127.0.0.1:0");
    let named = "sessionStorage.setItem('name', 'thumb')";
    let mut older = Browser::open_after(&recording.address, named);
    older.wait_for("state", "● connected");
    let mut newer = Browser::open_after(&recording.next_address(), named);
    newer.wait_for("state", "● connected");
    older.wait_for("state", "another page is called thumb");
    older.value(
        "(({ target }) => target.dispatchEvent(new Event('change')))\
         ({ target: Object.assign(document.getElementById('name'), { value: 'finger' }) })",
    );
    older.wait_for("state", "● connected");
    newer.wait_for("state", "● connected");
    recording.end();
}

/// An address that was used says so, and what to do; a page that was let in by it is still
/// known when it is loaded again, also by the same address.
#[test]
fn an_address_that_was_used_says_so() {
    let mut recording = Recording::start("page:127.0.0.1:0");
    let first = recording.address.clone();
    let mut browser = Browser::open(&first);
    browser.wait_for("state", "● connected");
    let second = recording.next_address();
    assert_ne!(first, second);
    let mut late = Browser::open(&first);
    late.wait_for("state", "used already");
    late.wait_for("state", "open the one that Green Trigger shows now");
    let mut other = Browser::open(&second);
    other.wait_for("state", "● connected");
    let key = first.split_once('#').unwrap().1;
    for way in ["location.reload()", &format!("location.hash = '{key}'")] {
        browser.value("document.getElementById('state').textContent = ''");
        browser.value(way);
        browser.wait_for("state", "● connected");
    }
    // In the tab of the one who came late the address that is shown now is good.
    late.value(&format!(
        "location.hash = '{}'",
        recording.next_address().rsplit('#').next().unwrap()
    ));
    late.wait_for("state", "● connected");
    recording.end();
}

/// A page that finds nobody when it is loaded goes on trying by the key of its address, also where
/// it has one of another run.
#[test]
fn a_page_that_finds_nobody_tries_again() {
    let recording = Recording::start("page:127.0.0.1:0");
    let away = "sessionStorage.setItem('key', '0'.repeat(32)); const real = window.fetch; let n = 0; \
                window.fetch = (...of) => n++ < 3 ? Promise.reject(new TypeError('away')) : real(...of)";
    let mut browser = Browser::open_after(&recording.address, away);
    browser.wait_for("state", "● connected");
    recording.end();
}

/// A page without the key of this run says what to do.
#[test]
fn a_page_without_a_key_says_what_to_do() {
    let recording = Recording::start("page:127.0.0.1:0");
    let bare = recording.address.split_once('#').unwrap().0.to_owned();
    let mut browser = Browser::open(&bare);
    browser.wait_for("state", "no key: open the address that Green Trigger shows");
    assert!(recording.end().iter().all(|line| line.get("plug").is_none()));
}
