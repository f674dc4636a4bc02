//! The other side of the kernel: makes devices, plays known events on them,
//! and compares what was recorded with what was sent.
//!
//! `scripts/kernel-proof` runs it inside a virtual machine:
//! `kernel_proof play SENT` while `gtrig record TAKE` runs, then
//! `kernel_proof check SENT TAKE`.

#[cfg(target_os = "linux")]
fn main() -> std::process::ExitCode {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let result = match args[..] {
        ["play", sent] => proof::play(sent.as_ref()),
        ["list"] => proof::list(),
        ["check", sent, take] => proof::check(sent.as_ref(), take.as_ref()),
        _ => Err(anyhow::anyhow!("usage: kernel_proof play SENT | list | check SENT TAKE")),
    };
    match result {
        Ok(()) => std::process::ExitCode::SUCCESS,
        Err(error) => {
            println!("PROOF FAILED: {error:#}");
            std::process::ExitCode::FAILURE
        }
    }
}

#[cfg(not(target_os = "linux"))]
fn main() {}

#[cfg(target_os = "linux")]
mod proof {
    use anyhow::{Context, ensure};
    use input_linux::{
        AbsoluteAxis, AbsoluteInfo, AbsoluteInfoSetup, EvdevHandle, EventKind, InputId, Key,
        RelativeAxis, UInputHandle, sys,
    };
    use nix::time::{ClockId, clock_gettime};
    use serde::{Deserialize, Serialize};
    use std::{
        collections::BTreeMap,
        fs::{self, File},
        io::Write,
        path::Path,
        thread::sleep,
        time::Duration,
    };

    /// One value that was sent, as the take should have it.
    #[derive(Debug, Deserialize, Serialize)]
    struct Sent {
        device: String,
        c: String,
        v: i32,
        /// The kernel's monotonic clock just before and just after.
        from: u64,
        until: u64,
    }

    fn now() -> u64 {
        let time = clock_gettime(ClockId::CLOCK_MONOTONIC).expect("the kernel has a clock");
        time.tv_sec() as u64 * 1_000_000_000 + time.tv_nsec() as u64
    }

    /// A device that the proof made.
    struct Made {
        name: &'static str,
        handle: UInputHandle<File>,
    }

    #[derive(Default)]
    struct Abilities<'a> {
        keys: &'a [Key],
        axes: &'a [(AbsoluteAxis, i32, i32)],
        relative: &'a [RelativeAxis],
        repeats: bool,
    }

    impl Made {
        fn new(name: &'static str, abilities: &Abilities) -> anyhow::Result<Self> {
            let handle = UInputHandle::new(File::options().write(true).open("/dev/uinput")?);
            handle.set_evbit(EventKind::Synchronize)?;
            for (kind, wanted) in [
                (EventKind::Key, !abilities.keys.is_empty()),
                (EventKind::Absolute, !abilities.axes.is_empty()),
                (EventKind::Relative, !abilities.relative.is_empty()),
                (EventKind::Autorepeat, abilities.repeats),
            ] {
                if wanted {
                    handle.set_evbit(kind)?;
                }
            }
            for &key in abilities.keys {
                handle.set_keybit(key)?;
            }
            for &axis in abilities.relative {
                handle.set_relbit(axis)?;
            }
            let mut setups = Vec::new();
            for &(axis, minimum, maximum) in abilities.axes {
                handle.set_absbit(axis)?;
                let info = AbsoluteInfo { minimum, maximum, ..AbsoluteInfo::default() };
                setups.push(AbsoluteInfoSetup { axis, info });
            }
            let id = InputId { bustype: 3, vendor: 0x6b71, product: 1, version: 1 };
            handle.create(&id, name.as_bytes(), 0, &setups)?;
            // The recorder is to find it before anything happens on it.
            sleep(Duration::from_millis(800));
            Ok(Made { name, handle })
        }

        /// Sends one packet.
        fn packet(&self, events: &[(EventKind, u16, i32)]) -> anyhow::Result<()> {
            let raw = |kind, code, value| sys::input_event {
                time: sys::timeval { tv_sec: 0, tv_usec: 0 },
                type_: kind as u16,
                code,
                value,
            };
            let mut all: Vec<_> = events.iter().map(|&(k, c, v)| raw(k, c, v)).collect();
            all.push(raw(EventKind::Synchronize, 0, 0));
            self.handle.write(&all)?;
            Ok(())
        }

        /// Sends a packet and notes what the take should have of it.
        fn send(
            &self,
            log: &mut Vec<Sent>,
            events: &[(EventKind, u16, i32)],
            names: &[(&str, i32)],
        ) -> anyhow::Result<()> {
            let from = now();
            self.packet(events)?;
            let until = now();
            let device = self.name.to_owned();
            log.extend(names.iter().map(|&(c, v)| Sent {
                device: device.clone(),
                c: c.to_owned(),
                v,
                from,
                until,
            }));
            sleep(Duration::from_millis(7));
            Ok(())
        }
    }

    const KEY: EventKind = EventKind::Key;
    const ABS: EventKind = EventKind::Absolute;
    const REL: EventKind = EventKind::Relative;
    const SOUTH: u16 = Key::ButtonSouth as u16;

    fn pad(name: &'static str) -> anyhow::Result<Made> {
        let axes = [(AbsoluteAxis::X, -32768, 32767), (AbsoluteAxis::Hat0X, -1, 1)];
        let keys = [Key::ButtonSouth, Key::ButtonEast];
        Made::new(name, &Abilities { keys: &keys, axes: &axes, ..Abilities::default() })
    }

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
        let axes = [
            (AbsoluteAxis::X, 0, 9000),
            (AbsoluteAxis::Y, 0, 6000),
            (AbsoluteAxis::Pressure, 0, 2047),
        ];
        let keys = [Key::ButtonToolPen, Key::ButtonTouch, Key::ButtonStylus];
        let _pen = Made::new(
            "proof pen",
            &Abilities { keys: &keys, axes: &axes, ..Abilities::default() },
        )?;
        let output = std::process::Command::new("gtrig").args(["devices", "--json"]).output()?;
        let text = String::from_utf8(output.stdout)?;
        let devices: Vec<serde_json::Value> =
            text.lines().map(serde_json::from_str).collect::<Result<_, _>>()?;
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
            pen["kind"] == "mouse"
                && controls == ["in-range", "left", "right", "x", "y", "pressure"],
            "{pen}"
        );
        let typing = devices.iter().filter(|device| device["left_alone"].is_string()).count();
        ensure!(typing > 0, "no keyboard is left alone: {text}");
        println!("{} devices listed, {typing} of them left alone by default", devices.len());
        Ok(())
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
                let said: Vec<_> =
                    names[..count].iter().map(|name| (name.as_str(), value)).collect();
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
    fn node_of(name: &str) -> anyhow::Result<String> {
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

    /// A device of the kernel's `/dev/uhid` (`linux/uhid.h`).
    struct HidPad(File);

    impl HidPad {
        const CREATE2: u32 = 11;
        const INPUT2: u32 = 12;

        fn new(name: &str) -> anyhow::Result<Self> {
            let mut event = Self::CREATE2.to_ne_bytes().to_vec();
            let mut text = name.as_bytes().to_vec();
            // The name, and two empty texts of 64 bytes for the place.
            text.resize(128 + 64 + 64, 0);
            event.extend(text);
            event.extend((HID_PAD.len() as u16).to_ne_bytes());
            event.extend(3u16.to_ne_bytes());
            for number in [0x6b71u32, 9, 1, 0] {
                event.extend(number.to_ne_bytes());
            }
            event.extend(HID_PAD);
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
        let mut pad = HidPad::new("proof hid")?;
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

    /// One line of a take, as far as the check needs it.
    #[derive(Debug, Default, Deserialize)]
    #[serde(default)]
    struct Line {
        t: u64,
        plug: Option<String>,
        name: Option<String>,
        unplug: Option<String>,
        deaf: Option<String>,
        heard: Option<String>,
        on: Option<String>,
        c: Option<String>,
        v: i32,
        mark: Option<String>,
    }

    /// What a take says of one control of one device.
    type Values = BTreeMap<(String, String), Vec<(u64, i32, String)>>;

    /// Compares a take with what was sent.
    pub fn check(sent: &Path, take: &Path) -> anyhow::Result<()> {
        let sent: Vec<Sent> = serde_json::from_slice(&fs::read(sent)?)?;
        println!("{} values were sent", sent.len());
        let text = fs::read_to_string(take)?;
        let lines: Vec<Line> = text
            .lines()
            .skip(1)
            .map(|line| serde_json::from_str(line).with_context(|| line.to_owned()))
            .collect::<Result<_, _>>()?;
        let values = values(&lines);
        let count = compare(&sent, &values)?;
        println!("{count} values recorded as sent");
        times(&sent, &values)?;
        repeats(&values)?;
        unplugging(&lines)?;
        replaced_node(&lines)?;
        overrun(&values)?;
        ghosts(&lines)?;
        busy(&lines, &values)?;
        fingers(&values)?;
        deaf(&lines, &values)?;
        println!("PROOF PASSED");
        Ok(())
    }

    fn values(lines: &[Line]) -> Values {
        let mut names = BTreeMap::new();
        let mut values = Values::new();
        for line in lines {
            if let (Some(id), Some(name)) = (&line.plug, &line.name) {
                names.insert(id.clone(), name.clone());
            }
            if let (Some(id), Some(c)) = (&line.on, &line.c) {
                let key = (names[id].clone(), c.clone());
                let mark = line.mark.clone().unwrap_or_default();
                values.entry(key).or_default().push((line.t, line.v, mark));
            }
        }
        values
    }

    /// Every control has the values that were sent, in order, and no other.
    fn compare(sent: &[Sent], values: &Values) -> anyhow::Result<usize> {
        let mut expected: BTreeMap<(String, String), Vec<i32>> = BTreeMap::new();
        for one in sent {
            expected.entry((one.device.clone(), one.c.clone())).or_default().push(one.v);
        }
        for (key, expected) in &expected {
            let recorded = values.get(key).map(Vec::as_slice).unwrap_or_default();
            let recorded = recorded.iter().filter(|(.., mark)| mark != "repeat");
            let recorded: Vec<i32> = recorded.map(|(_, v, _)| *v).collect();
            ensure!(recorded == *expected, "{key:?}: sent {expected:?}, recorded {recorded:?}");
        }
        Ok(sent.len())
    }

    /// The take's times are the kernel's, but for one constant: what lies
    /// between two events lies between the moments they were sent.
    fn times(sent: &[Sent], values: &Values) -> anyhow::Result<()> {
        let mut taken: BTreeMap<_, usize> = BTreeMap::new();
        // The constant lies between these.
        let (mut least, mut most) = (i128::MIN, i128::MAX);
        let mut late = 0;
        for one in sent {
            let key = (one.device.clone(), one.c.clone());
            let at = taken.entry(key.clone()).or_default();
            let plain: Vec<_> = values[&key].iter().filter(|(.., m)| m != "repeat").collect();
            let (t, _, mark) = plain[*at];
            *at += 1;
            // It waited to be told from what the kernel makes up, and says so.
            if mark.contains("late") {
                late += 1;
                continue;
            }
            // The kernel stamps microseconds.
            least = least.max(i128::from(one.from) - i128::from(*t) - 1_000);
            most = most.min(i128::from(one.until) - i128::from(*t) + 1_000);
        }
        ensure!(least <= most, "no constant fits the times: {least} > {most}");
        ensure!(late <= 48, "{late} values came late");
        println!("{late} releases of eight keys or more at once waited, and are marked late");
        println!("times agree with the sender's clock to {} us", (most - least) / 1_000);
        Ok(())
    }

    fn repeats(values: &Values) -> anyhow::Result<()> {
        let key = ("proof keys".to_owned(), "KeyH".to_owned());
        let times: Vec<u64> =
            values[&key].iter().filter(|(.., m)| m == "repeat").map(|(t, ..)| *t).collect();
        ensure!(times.len() >= 5, "only {} repeats of a key held 900 ms", times.len());
        let gaps: Vec<u64> = times.windows(2).map(|pair| (pair[1] - pair[0]) / 1_000_000).collect();
        println!("{} repeats, {gaps:?} ms apart, none a press", times.len());
        Ok(())
    }

    /// The held button is not released by an event, the device comes back
    /// under its own id.
    fn unplugging(lines: &[Line]) -> anyhow::Result<()> {
        let is_pad = |line: &Line| line.name.as_deref() == Some("proof pad");
        let plugs: Vec<usize> =
            lines.iter().enumerate().filter(|(_, l)| is_pad(l)).map(|(i, _)| i).collect();
        ensure!(plugs.len() == 2, "the pad was plugged in {} times, not twice", plugs.len());
        let id = lines[plugs[0]].plug.clone();
        ensure!(lines[plugs[1]].plug == id, "the pad came back as another device");
        let gone = lines.iter().position(|line| line.unplug == id).context("it never went")?;
        let last = lines[..gone].iter().rev().find(|line| line.on == id);
        let last = last.context("nothing was recorded of the pad")?;
        ensure!(
            (last.c.as_deref(), last.v) == (Some("south"), 1),
            "the last word of the pad was {last:?}, not the press"
        );
        println!("unplugged while held, and back as the same device");
        Ok(())
    }

    /// The node went and another came, as the same device.
    fn replaced_node(lines: &[Line]) -> anyhow::Result<()> {
        let plugs: Vec<_> =
            lines.iter().filter(|l| l.name.as_deref() == Some("proof hid")).collect();
        ensure!(plugs.len() == 2, "the HID pad was plugged in {} times, not twice", plugs.len());
        ensure!(plugs[0].plug == plugs[1].plug, "its new node is taken for another device");
        let gone = lines.iter().any(|line| line.unplug == plugs[0].plug && line.t < plugs[1].t);
        ensure!(gone, "its old node never went");
        println!("a driver that came later replaced the node: the same device again");
        Ok(())
    }

    /// Whatever came and went is gone.
    fn ghosts(lines: &[Line]) -> anyhow::Result<()> {
        let plugs: Vec<_> =
            lines.iter().filter(|l| l.name.as_deref() == Some("proof flicker")).collect();
        let ids: Vec<_> = plugs.iter().filter_map(|line| line.plug.clone()).collect();
        let gone =
            lines.iter().filter(|line| line.unplug.as_ref().is_some_and(|id| ids.contains(id)));
        let gone = gone.count();
        ensure!(plugs.len() == gone, "{} came, and {gone} went", plugs.len());
        println!("plugged in and out 200 times: {gone} were seen, and all of them went");
        Ok(())
    }

    /// Nothing is said of a device before it is there, and its times do not go back.
    fn busy(lines: &[Line], values: &Values) -> anyhow::Result<()> {
        let mut there = Vec::new();
        for line in lines {
            there.extend(line.plug.clone());
            if let Some(id) = &line.on {
                ensure!(there.contains(id), "{line:?} before its device was plugged in");
            }
        }
        let plug = lines.iter().find(|line| line.name.as_deref() == Some("proof busy"));
        let plugged = plug.context("the busy pad was not seen")?.t;
        let of = |c: &str| {
            values.get(&("proof busy".to_owned(), c.to_owned())).cloned().unwrap_or_default()
        };
        let (x, south) = (of("stick-l-x"), of("south"));
        ensure!(
            x.iter().chain(&south).all(|(t, ..)| *t >= plugged),
            "something was said too early"
        );
        ensure!(x.is_sorted_by_key(|(t, ..)| *t) && x.is_sorted_by_key(|(_, v, _)| *v), "{x:?}");
        // Each value is 10 more than the one before: none is missing since it was opened.
        let missing = x.windows(2).filter(|two| two[1].1 - two[0].1 > 10).count();
        ensure!(
            missing == 0 && x.last().is_some_and(|(_, v, _)| *v == 1500),
            "{missing} gaps: {x:?}"
        );
        let alternates = south.windows(2).all(|two| two[0].1 != two[1].1);
        ensure!(alternates, "a press or a release is missing: {south:?}");
        println!(
            "opened while it reported: {} of 150 values since, none missing, none too early",
            x.len()
        );
        Ok(())
    }

    /// After an overrun a replaced finger is another one, and a palm has lifted.
    fn fingers(values: &Values) -> anyhow::Result<()> {
        let of = |c: &str| {
            values.get(&("proof lost".to_owned(), c.to_owned())).cloned().unwrap_or_default()
        };
        let said = |c: &str| of(c).into_iter().map(|(_, v, _)| v).collect::<Vec<i32>>();
        ensure!(said("contact-1") == [1, 0, 1], "the first finger: {:?}", of("contact-1"));
        ensure!(said("contact-2") == [1, 0], "the palm: {:?}", of("contact-2"));
        let taken = of("contact-2").pop().context("the palm said nothing")?.2;
        ensure!(taken.contains("cancelled"), "the palm was marked {taken:?}");
        ensure!(said("contact-1-x").last() == Some(&3_999), "{:?}", of("contact-1-x").last());
        println!("fingers after an overrun: one replaced, one taken back");
        Ok(())
    }

    /// While another program has the pad it is deaf, and then heard again, as it is.
    fn deaf(lines: &[Line], values: &Values) -> anyhow::Result<()> {
        let id = lines.iter().find(|line| line.name.as_deref() == Some("proof grab"));
        let id = id.and_then(|line| line.plug.clone()).context("the grabbed pad was not seen")?;
        let deaf = lines
            .iter()
            .find(|line| line.deaf.as_ref() == Some(&id))
            .context("it never was deaf")?;
        let heard =
            lines.iter().find(|line| line.heard.as_ref() == Some(&id)).context("it stayed deaf")?;
        ensure!(deaf.t < heard.t, "heard again before it was deaf");
        let of = |c: &str| {
            values.get(&("proof grab".to_owned(), c.to_owned())).cloned().unwrap_or_default()
        };
        let last = of("stick-l-x").last().map(|(_, v, _)| *v);
        ensure!(last == Some(4_321), "the last word of the grabbed pad is {last:?}");
        let carried = of("south").last().cloned().context("its button was forgotten")?;
        ensure!(carried.1 == 1 && carried.2.contains("carried"), "its button is {carried:?}");
        println!("grabbed by another program: deaf, and heard again as it is");
        Ok(())
    }

    fn overrun(values: &Values) -> anyhow::Result<()> {
        let of = |c: &str| {
            let key = ("proof storm".to_owned(), c.to_owned());
            values.get(&key).map(Vec::as_slice).unwrap_or_default()
        };
        let all = [of("south"), of("east"), of("stick-l-x")];
        let resynced = all.iter().flat_map(|v| v.iter()).filter(|(.., m)| m == "resynced").count();
        ensure!(resynced > 0, "the queue did not overrun, or nobody said so");
        let last = all.map(|v| v.last().map_or(0, |(_, v, _)| *v));
        ensure!(last == [0, 1, 777], "after the overrun the state is {last:?}");
        let south = of("south").len();
        println!("queue overrun: {south} of 3000 values came, then the state was right again");
        Ok(())
    }
}
