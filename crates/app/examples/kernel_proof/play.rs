//! What is played, one scene after the other.

use anyhow::{Context, ensure};
use input_linux::{
    AbsoluteAxis, AbsoluteInfo, AbsoluteInfoSetup, EvdevHandle, EventKind, InputId, Key,
    RelativeAxis, UInputHandle,
};
use std::{
    fs::{self, File},
    io::Write,
    path::Path,
    process::Command,
    thread::sleep,
    time::Duration,
};

use crate::made::*;

/// Plays everything, and writes down what was sent.
pub fn play(sent: &Path) -> anyhow::Result<()> {
    let mut log = Vec::new();
    pad_and_unplug(&mut log)?;
    keyboard(&mut log)?;
    mouse(&mut log)?;
    panel(&mut log)?;
    replaced_driver(&mut log)?;
    storm()?;
    flicker()?;
    busy_while_opened(&mut log)?;
    long_packets(&mut log)?;
    lost_fingers()?;
    grabbed()?;
    prompt(sent)?;
    fs::write(sent, serde_json::to_vec(&log)?)?;
    println!("{} values sent", log.len());
    Ok(())
}

/// Has the program list a pad and a pen that are plugged in.
pub fn list() -> anyhow::Result<()> {
    let _pad = pad("proof listed")?;
    let axes =
        [(AbsoluteAxis::X, 0, 9000), (AbsoluteAxis::Y, 0, 6000), (AbsoluteAxis::Pressure, 0, 2047)];
    let keys = [Key::ButtonToolPen, Key::ButtonTouch, Key::ButtonStylus];
    let _pen =
        Made::new("proof pen", &Abilities { keys: &keys, axes: &axes, ..Abilities::default() })?;
    let _board = HidPad::new("proof board", &HID_BOARD)?;
    let (devices, text) = listed(&["devices", "--json"])?;
    let named = |name: &str| {
        devices
            .iter()
            .find(|device| device["name"] == name)
            .with_context(|| format!("{name} is not listed: {text}"))
    };
    ensure!(named("proof listed")?["kind"] == "pad", "{text}");
    let pen = named("proof pen")?;
    let controls: Vec<_> = pen["controls"]
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|c| c["control"].as_str())
        .collect();
    ensure!(
        pen["kind"] == "mouse" && controls == ["in-range", "left", "right", "x", "y", "pressure"],
        "{pen}"
    );
    // The kernel has one axis for both, and calls it throttle.
    let names = |device: &serde_json::Value| -> Vec<String> {
        let controls = device["controls"].as_array().into_iter().flatten();
        controls.filter_map(|c| c["control"].as_str()).map(str::to_owned).collect()
    };
    let board = names(named("proof board")?);
    ensure!(board == ["x", "slider"], "{board:?}");
    let (raw, text_of_raw) = listed(&["devices", "--hid", "--json"])?;
    let raw = raw.iter().find(|device| device["name"] == "proof board");
    let raw = names(raw.with_context(|| format!("no reports of the board: {text_of_raw}"))?);
    ensure!(raw == ["x", "slider", "slider-2", "byte-0-0", "byte-0-1", "byte-0-2"], "{raw:?}");
    println!("two sliders: the kernel has one axis for both, the reports have two");
    let typing = devices.iter().filter(|device| device["left_alone"].is_string()).count();
    ensure!(typing > 0, "no keyboard is left alone: {text}");
    println!("{} devices listed, {typing} of them left alone by default", devices.len());
    Ok(())
}

/// What the program lists, as JSON and as text.
fn listed(args: &[&str]) -> anyhow::Result<(Vec<serde_json::Value>, String)> {
    let output = Command::new("gtrig").args(args).output()?;
    let text = String::from_utf8(output.stdout)?;
    Ok((text.lines().map(serde_json::from_str).collect::<Result<_, _>>()?, text))
}

fn pad_and_unplug(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let pad_a = pad("proof pad")?;
    for i in 0..20 {
        let down = i32::from(i % 2 == 0);
        pad_a.send(log, &[(KEY, SOUTH, down)], &[("south", down)])?;
        let x = (i - 10) * 3_000 + 1;
        pad_a.send(log, &[(ABS, 0, x)], &[("stick-l-x", x)])?;
    }
    pad_a.send(log, &[(ABS, 0x10, -1)], &[("dpad-left", 1)])?;
    pad_a.send(log, &[(ABS, 0x10, 1)], &[("dpad-left", 0), ("dpad-right", 1)])?;
    pad_a.send(log, &[(ABS, 0x10, 0)], &[("dpad-right", 0)])?;
    // Unplugged while a button is held, and back again.
    pad_a.send(log, &[(KEY, SOUTH, 1)], &[("south", 1)])?;
    sleep(Duration::from_millis(100));
    drop(pad_a);
    sleep(Duration::from_millis(300));
    let again = pad("proof pad")?;
    again.send(log, &[(KEY, SOUTH, 1)], &[("south", 1)])?;
    again.send(log, &[(KEY, SOUTH, 0)], &[("south", 0)])?;
    sleep(Duration::from_millis(100));
    drop(again);
    Ok(())
}

/// Plugged in and out many times in a row, faster than anybody can.
fn flicker() -> anyhow::Result<()> {
    for n in 0..200 {
        let handle = UInputHandle::new(File::options().write(true).open("/dev/uinput")?);
        handle.set_evbit(KEY)?;
        handle.set_keybit(Key::ButtonSouth)?;
        let id = InputId { bustype: 3, vendor: 0x6b71, product: 2, version: 1 };
        handle.create(&id, b"proof flicker", 0, &[])?;
        sleep(Duration::from_micros(n * 50));
    }
    sleep(Duration::from_millis(300));
    Ok(())
}

/// A device that reports from the moment it is there, every few milliseconds,
/// while it is found and opened.
fn busy_while_opened(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let handle = UInputHandle::new(File::options().write(true).open("/dev/uinput")?);
    handle.set_evbit(ABS)?;
    handle.set_evbit(KEY)?;
    handle.set_keybit(Key::ButtonSouth)?;
    handle.set_keybit(Key::ButtonEast)?;
    handle.set_absbit(AbsoluteAxis::X)?;
    let info = AbsoluteInfo { minimum: -32768, maximum: 32767, ..AbsoluteInfo::default() };
    let setup = AbsoluteInfoSetup { axis: AbsoluteAxis::X, info };
    let id = InputId { bustype: 3, vendor: 0x6b71, product: 3, version: 1 };
    handle.create(&id, b"proof busy", 0, &[setup])?;
    let busy = Made { name: "proof busy", handle };
    for n in 1..=150 {
        busy.packet(&[(ABS, 0, n * 10), (KEY, SOUTH, n % 2)])?;
        sleep(Duration::from_millis(4));
    }
    sleep(Duration::from_millis(300));
    busy.send(log, &[(KEY, Key::ButtonEast as u16, 1)], &[("east", 1)])?;
    busy.send(log, &[(KEY, Key::ButtonEast as u16, 0)], &[("east", 0)])?;
    sleep(Duration::from_millis(100));
    Ok(())
}

/// Packets that the kernel's buffer does not hold: it cuts them, and closes the
/// parts as it closes what it makes up. Among them releases of all that is held.
fn long_packets(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let keys: Vec<Key> = (0x2c0..0x2c0 + 24)
        .map(|code| Key::from_code(code).context("a button"))
        .collect::<Result<_, _>>()?;
    let abilities = Abilities { keys: &keys, ..Abilities::default() };
    let many = Made::new("proof many", &abilities)?;
    let names: Vec<String> = (1..=24).map(|n| format!("extra-{n}")).collect();
    for count in 1..=24usize {
        for value in [1, 0] {
            let events: Vec<_> = (0..count).map(|n| (KEY, 0x2c0 + n as u16, value)).collect();
            let said: Vec<_> = names[..count].iter().map(|name| (name.as_str(), value)).collect();
            many.send(log, &events, &said)?;
            // Releases may wait to be told from those of a device that goes.
            sleep(Duration::from_millis(120));
        }
    }
    Ok(())
}

/// More than the queue holds, while one finger is replaced and one turns out to
/// be a palm.
fn lost_fingers() -> anyhow::Result<()> {
    let axes = [
        (AbsoluteAxis::MultitouchSlot, 0, 3),
        (AbsoluteAxis::MultitouchTrackingId, 0, 65535),
        (AbsoluteAxis::MultitouchPositionX, 0, 9999),
        (AbsoluteAxis::MultitouchPositionY, 0, 9999),
        (AbsoluteAxis::MultitouchToolType, 0, 2),
    ];
    let panel = Made::new("proof lost", &Abilities { axes: &axes, ..Abilities::default() })?;
    let (slot, id, x, tool) = (0x2f, 0x39, 0x35, 0x37);
    panel.packet(&[(ABS, slot, 0), (ABS, id, 10), (ABS, x, 100)])?;
    panel.packet(&[(ABS, slot, 1), (ABS, id, 11), (ABS, x, 900)])?;
    sleep(Duration::from_millis(200));
    let mut events =
        vec![(ABS, slot, 0), (ABS, id, -1), (EventKind::Synchronize, 0, 0), (ABS, id, 12)];
    for n in 0..3_000 {
        events.extend([(ABS, x, 1_000 + n), (EventKind::Synchronize, 0, 0)]);
    }
    events.extend([(ABS, slot, 1), (ABS, tool, 2)]);
    panel.packet(&events)?;
    sleep(Duration::from_millis(300));
    Ok(())
}

/// The node of a device of this name.
pub fn node_of(name: &str) -> anyhow::Result<String> {
    for entry in fs::read_dir("/sys/class/input")?.flatten() {
        let node = entry.file_name().into_string().unwrap_or_default();
        let its = fs::read_to_string(entry.path().join("device/name")).unwrap_or_default();
        if node.starts_with("event") && its.trim() == name {
            return Ok(format!("/dev/input/{node}"));
        }
    }
    anyhow::bail!("no node of {name}")
}

/// Another program takes a pad for itself, and lets it go again.
fn grabbed() -> anyhow::Result<()> {
    let pad = pad("proof grab")?;
    let node = File::options().read(true).open(node_of("proof grab")?)?;
    let other = EvdevHandle::new(node);
    pad.packet(&[(KEY, SOUTH, 1)])?;
    sleep(Duration::from_millis(300));
    other.grab(true)?;
    for n in 0..10 {
        pad.packet(&[(KEY, Key::ButtonEast as u16, (n + 1) % 2)])?;
        pad.packet(&[(ABS, 0, 1_000 + n)])?;
        sleep(Duration::from_millis(600));
    }
    other.grab(false)?;
    sleep(Duration::from_millis(100));
    pad.packet(&[(ABS, 0, 4_321)])?;
    sleep(Duration::from_millis(200));
    Ok(())
}

/// How long it takes from a press to its line in the file.
fn prompt(sent: &Path) -> anyhow::Result<()> {
    let take = sent.with_file_name("t.take.jsonl");
    let pad = pad("proof prompt")?;
    let length = || fs::metadata(&take).map(|meta| meta.len()).unwrap_or_default();
    let mut took = Vec::new();
    for n in 0..60u64 {
        // At all phases of whatever the recorder waits for.
        sleep(Duration::from_micros(150_000 + n * 777));
        let (before, from) = (length(), now());
        pad.packet(&[(KEY, SOUTH, (n as i32 + 1) % 2)])?;
        while length() == before && now() < from + 2_000_000_000 {
            sleep(Duration::from_micros(200));
        }
        took.push((now() - from) / 1_000);
    }
    took.sort_unstable();
    ensure!(took[took.len() / 2] < 50_000, "a line takes too long: {took:?} us");
    println!(
        "from a press to its line in the file: median {} us, longest {} us of {}",
        took[took.len() / 2],
        took[took.len() - 1],
        took.len()
    );
    Ok(())
}

fn keyboard(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let keys = [Key::A, Key::Z, Key::H];
    let abilities = Abilities { keys: &keys, repeats: true, ..Abilities::default() };
    let keyboard = Made::new("proof keys", &abilities)?;
    keyboard.send(log, &[(KEY, Key::H as u16, 1)], &[("KeyH", 1)])?;
    sleep(Duration::from_millis(900));
    keyboard.send(log, &[(KEY, Key::H as u16, 0)], &[("KeyH", 0)])?;
    sleep(Duration::from_millis(100));
    Ok(())
}

fn mouse(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let abilities = Abilities {
        keys: &[Key::ButtonLeft],
        relative: &[RelativeAxis::X, RelativeAxis::Y, RelativeAxis::Wheel],
        ..Abilities::default()
    };
    let mouse = Made::new("proof mouse", &abilities)?;
    mouse.send(log, &[(REL, 0, 5), (REL, 1, -3)], &[("x", 5), ("y", -3)])?;
    mouse.send(log, &[(REL, 0, 2)], &[("x", 2)])?;
    mouse.send(log, &[(REL, 8, -1)], &[("wheel-y", -1)])?;
    mouse.send(log, &[(KEY, 0x110, 1)], &[("left", 1)])?;
    mouse.send(log, &[(KEY, 0x110, 0)], &[("left", 0)])?;
    sleep(Duration::from_millis(100));
    Ok(())
}

fn panel(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let axes = [
        (AbsoluteAxis::MultitouchSlot, 0, 3),
        (AbsoluteAxis::MultitouchTrackingId, 0, 65535),
        (AbsoluteAxis::MultitouchPositionX, 0, 1919),
        (AbsoluteAxis::MultitouchPositionY, 0, 1079),
        (AbsoluteAxis::MultitouchPressure, 0, 255),
        (AbsoluteAxis::MultitouchToolType, 0, 2),
    ];
    let panel = Made::new("proof panel", &Abilities { axes: &axes, ..Abilities::default() })?;
    let (slot, id, x, y) = (0x2f, 0x39, 0x35, 0x36);
    panel.send(
        log,
        &[(ABS, slot, 0), (ABS, id, 40), (ABS, x, 100), (ABS, y, 200)],
        &[("contact-1", 1), ("contact-1-x", 100), ("contact-1-y", 200)],
    )?;
    panel.send(
        log,
        &[(ABS, slot, 1), (ABS, id, 41), (ABS, x, 900), (ABS, y, 800)],
        &[("contact-2", 1), ("contact-2-x", 900), ("contact-2-y", 800)],
    )?;
    let (pressure, tool, palm) = (0x3a, 0x37, 2);
    panel.send(
        log,
        &[(ABS, slot, 0), (ABS, x, 130), (ABS, pressure, 90)],
        &[("contact-1-x", 130), ("contact-1-pressure", 90)],
    )?;
    // Another finger in the same slot, which turns out to be a palm.
    panel.send(log, &[(ABS, id, 42)], &[("contact-1", 0), ("contact-1", 1)])?;
    panel.send(log, &[(ABS, tool, palm)], &[("contact-1", 0)])?;
    panel.send(log, &[(ABS, id, -1)], &[])?;
    panel.send(log, &[(ABS, slot, 1), (ABS, id, -1)], &[("contact-2", 0)])?;
    sleep(Duration::from_millis(100));
    Ok(())
}

/// A pad described by a HID report descriptor: two buttons and one axis.
#[rustfmt::skip]
const HID_PAD: [u8; 41] = [
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, // generic desktop, game pad, application
    0x05, 0x09, 0x19, 0x01, 0x29, 0x02, 0x15, 0x00, 0x25, 0x01, // buttons 1 to 2, 0 to 1
    0x75, 0x01, 0x95, 0x02, 0x81, 0x02, // two of one bit, input
    0x75, 0x06, 0x95, 0x01, 0x81, 0x03, // six bits of padding
    0x05, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f, // x, -127 to 127
    0x75, 0x08, 0x81, 0x02, // one of eight bits, input
    0xc0,
];

/// A board with x and two sliders.
#[rustfmt::skip]
const HID_BOARD: [u8; 24] = [
    0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, // generic desktop, joystick, application
    0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x03, // 0 to 255, three of eight bits
    0x09, 0x30, 0x09, 0x36, 0x09, 0x36, 0x81, 0x02, // x, slider, slider, input
    0xc0,
];

/// A device of the kernel's `/dev/uhid` (`linux/uhid.h`).
struct HidPad(File);

impl HidPad {
    const CREATE2: u32 = 11;
    const INPUT2: u32 = 12;

    fn new(name: &str, descriptor: &[u8]) -> anyhow::Result<Self> {
        let mut event = Self::CREATE2.to_ne_bytes().to_vec();
        let mut text = name.as_bytes().to_vec();
        // The name, and two empty texts of 64 bytes for the place.
        text.resize(128 + 64 + 64, 0);
        event.extend(text);
        event.extend((descriptor.len() as u16).to_ne_bytes());
        event.extend(3u16.to_ne_bytes());
        for number in [0x6b71u32, 9, 1, 0] {
            event.extend(number.to_ne_bytes());
        }
        event.extend(descriptor);
        let mut file = File::options().read(true).write(true).open("/dev/uhid")?;
        file.write_all(&event)?;
        sleep(Duration::from_millis(800));
        Ok(HidPad(file))
    }

    fn report(
        &mut self,
        log: &mut Vec<Sent>,
        data: [u8; 2],
        c: &str,
        v: i32,
    ) -> anyhow::Result<()> {
        let mut event = Self::INPUT2.to_ne_bytes().to_vec();
        event.extend((data.len() as u16).to_ne_bytes());
        event.extend(data);
        let from = now();
        self.0.write_all(&event)?;
        let until = now();
        log.push(Sent { device: "proof hid".to_owned(), c: c.to_owned(), v, from, until });
        sleep(Duration::from_millis(7));
        Ok(())
    }
}

/// The pad stays plugged in, but its driver is taken away while a button is
/// held, and given back: every node of it is another one.
fn replaced_driver(log: &mut Vec<Sent>) -> anyhow::Result<()> {
    let mut pad = HidPad::new("proof hid", &HID_PAD)?;
    pad.report(log, [1, 0], "south", 1)?;
    pad.report(log, [1, 40], "stick-l-x", 40)?;
    let devices = fs::read_dir("/sys/bus/hid/devices")?;
    let ids = devices.filter_map(|entry| entry.ok()?.file_name().into_string().ok());
    let id = { ids }.find(|id| id.contains("6B71")).context("the kernel made no HID device")?;
    let driver = Path::new("/sys/bus/hid/drivers/hid-generic");
    fs::write(driver.join("unbind"), &id)?;
    sleep(Duration::from_millis(300));
    fs::write(driver.join("bind"), &id)?;
    sleep(Duration::from_millis(800));
    // Both values are news: the new node has never heard of the old ones.
    pad.report(log, [2, 0], "east", 1)?;
    pad.report(log, [0, 0], "east", 0)?;
    pad.report(log, [0, 0x90], "stick-l-x", -112)?;
    Ok(())
}

/// More events in one go than the kernel's queue holds; the last state is
/// east down, the stick at 777.
fn storm() -> anyhow::Result<()> {
    let device = pad("proof storm")?;
    let mut events = Vec::new();
    for i in 0..3_000 {
        events.push((KEY, SOUTH, i % 2));
        events.push((EventKind::Synchronize, 0, 0));
    }
    events.extend([(KEY, SOUTH, 0), (KEY, Key::ButtonEast as u16, 1), (ABS, 0, 777)]);
    device.packet(&events)?;
    sleep(Duration::from_millis(500));
    Ok(())
}

/// Kills recorders in the middle of presses: how much of what had been pressed is
/// missing in their takes.
pub fn killed(folder: &Path) -> anyhow::Result<()> {
    let pad = pad("proof killed")?;
    let mut missing = Vec::new();
    for n in 0..20u64 {
        let take = folder.join(format!("killed-{n}.take.jsonl"));
        let mut recorder = Command::new("gtrig").arg("record").arg(&take).spawn()?;
        while fs::read_to_string(&take).map_or(true, |text| !text.contains("proof killed")) {
            sleep(Duration::from_millis(20));
        }
        let mut pressed = Vec::new();
        // Killed at another phase of whatever it waits for each time.
        let until = now() + 300_000_000 + n * 1_700_000;
        while now() < until {
            pressed.push(now());
            pad.packet(&[(KEY, SOUTH, pressed.len() as i32 % 2)])?;
            sleep(Duration::from_millis(5));
        }
        recorder.kill()?;
        let killed = now();
        recorder.wait()?;
        let text = fs::read_to_string(&take)?;
        let lines = text.lines().filter(|line| line.contains("\"south\"") && line.ends_with('}'));
        let kept = lines.filter(|line| !line.contains("\"plug\"")).count();
        ensure!(kept <= pressed.len(), "more presses than there were");
        let lost_from = pressed.get(kept).copied().unwrap_or(killed);
        missing.push(killed.saturating_sub(lost_from) / 1_000);
    }
    missing.sort_unstable();
    println!(
        "killed twenty times: of the last presses at most {} us are missing, the median {} us",
        missing[missing.len() - 1],
        missing[missing.len() / 2]
    );
    ensure!(missing[missing.len() - 1] < 100_000, "more is lost than 100 ms: {missing:?} us");
    Ok(())
}
