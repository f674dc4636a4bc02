//! What is plugged in.

use crate::{
    commands::shared::complain,
    maps::{MapFile, Maps},
    screen::Clock,
};
use anyhow::Context;
use gtrig_analysis::{Capacity, Session, stream::StreamWatch};
use gtrig_core::{CleanText, DeviceInfo, MappedDevice, Nanos, PollRate, Rig, Tick};
use gtrig_formats::devices::{DeviceReport, FoundDevice, Mapped, RefusedDevice, ReportRate};
use gtrig_sources::{
    HidDevice, Kernel, KernelDevice, Physical, RefusedNode, Source, Wanted, list_hid_devices,
    list_kernel_devices,
};
use std::{io, path::Path, thread, time::Duration};

/// All that is in a folder, and how often it reports where somebody listens for so
/// many seconds.
pub(super) fn report(
    folder: &Path,
    maps: &Maps,
    listen: Option<u64>,
) -> anyhow::Result<DeviceReport> {
    let shown = folder.display();
    let listed = list_kernel_devices(folder).map_err(|error| match error.kind() {
        io::ErrorKind::NotFound => anyhow::anyhow!(
            "there is no {shown}: is there a kernel with input devices here? Containers often hide them"
        ),
        _ => anyhow::anyhow!("{shown} cannot be read: {error}"),
    });
    let (found, refused) = listed?;
    let heard = listen.map(|seconds| Heard::over(folder, seconds)).transpose()?;
    let rate = |info: &DeviceInfo| heard.as_ref().and_then(|heard| heard.rate(info));
    let found = found.into_iter().map(|device| {
        let rate = rate(&device.info);
        found_device(device, maps, rate)
    });
    Ok(DeviceReport::new(found.collect(), refused.into_iter().map(refused_device).collect()))
}

/// The HID devices of a folder, without a driver between.
pub(super) fn hid_report(folder: &Path) -> anyhow::Result<DeviceReport> {
    let devices =
        list_hid_devices(folder).with_context(|| format!("{} cannot be read", folder.display()))?;
    let (mut found, mut refused) = (Vec::new(), Vec::new());
    for HidDevice { node, info, physical, name, is_private } in devices {
        let node = CleanText::new(&node.display().to_string()).to_string();
        match info {
            Ok(info) => found.push(FoundDevice {
                node,
                codes: vec![None; info.controls.len()],
                info,
                left_alone: is_private.then(|| "it is a keyboard or a mouse".to_owned()),
                map: None,
                rate: None,
                physical: { physical.into_iter() }
                    .map(|of| of.map(|Physical { min, max, unit }| (min, max, unit)))
                    .collect(),
            }),
            Err(why) => refused.push(RefusedDevice {
                name: (!name.is_empty()).then(|| CleanText::new(&name).to_string()),
                why: CleanText::new(&why).to_string(),
                remedy: format!("let whoever sits at this machine read it: write\nKERNEL==\"{}\", SUBSYSTEM==\"hidraw\", TAG+=\"uaccess\"\ninto /etc/udev/rules.d/70-gtrig.rules, then plug it in again", node.rsplit('/').next().unwrap_or_default()),
                node,
            }),
        }
    }
    Ok(DeviceReport::new(found, refused))
}

fn found_device(device: KernelDevice, maps: &Maps, rate: Option<ReportRate>) -> FoundDevice {
    let KernelDevice { node, info, codes, left_alone } = device;
    let node = CleanText::new(&node.display().to_string()).to_string();
    let left_alone = left_alone.map(str::to_owned);
    let Some(MapFile { path, map }) = maps.of(&info) else {
        let (map, physical) = (None, Vec::new());
        return FoundDevice { node, info, codes, left_alone, map, rate, physical };
    };
    let (mapped, faults) = map.apply(&info);
    faults.iter().for_each(|fault| complain(&format!("{}: {fault}", path.display())));
    let file = CleanText::new(&path.display().to_string()).to_string();
    let controls = 0..mapped.info.controls.len();
    let from = controls.clone().map(|at| names(&mapped, at, &info)).collect();
    let codes = controls.map(|at| mapped.parts(at).next().and_then(|part| codes[part]));
    let (codes, map) = (codes.collect(), Some(Mapped { file, from }));
    let physical = Vec::new();
    FoundDevice { node, info: mapped.info, codes, left_alone, map, rate, physical }
}

/// What a control is made of, by the names without a map.
fn names(mapped: &MappedDevice, control: usize, device: &DeviceInfo) -> Vec<String> {
    mapped.parts(control).map(|part| device.controls[part].code.clone()).collect()
}

fn refused_device(refused: RefusedNode) -> RefusedDevice {
    let RefusedNode { node, name, id, why } = refused;
    let clean = |text: &str| CleanText::new(text).to_string();
    let mut remedy =
        "add yourself to the group of the node (usually `input`) and log in again".to_owned();
    if let Some([vendor, product]) = id.map(|id| id.map(|part| clean(&part))) {
        remedy += &format!(
            "; or let whoever sits at this machine read this one device: write\n\
             KERNEL==\"event*\", SUBSYSTEM==\"input\", ATTRS{{id/vendor}}==\"{vendor}\", ATTRS{{id/product}}==\"{product}\", TAG+=\"uaccess\"\n\
             into /etc/udev/rules.d/70-gtrig.rules, then plug it in again"
        );
    }
    RefusedDevice {
        node: clean(&node.display().to_string()),
        name: name.as_deref().map(clean),
        why: why.to_string(),
        remedy,
    }
}

/// What the devices reported over a while.
struct Heard {
    session: Session,
    streams: StreamWatch,
}

impl Heard {
    fn over(folder: &Path, seconds: u64) -> anyhow::Result<Self> {
        let rig = Rig::bare("devices", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let mut streams = StreamWatch::default();
        let clock = Clock::starting_at(Nanos(0));
        let mut kernel = Kernel::start(folder, Wanted::All, Vec::new(), clock.now())?;
        while clock.now().0 < seconds * 1_000_000_000 {
            thread::sleep(Duration::from_millis(20));
            kernel.drain(&mut session, clock.now());
            session.run_before(clock.now());
            streams.catch_up(&session);
        }
        Ok(Heard { session, streams })
    }

    /// How often a device reported that is as the list has it, without a map.
    fn rate(&self, info: &DeviceInfo) -> Option<ReportRate> {
        let mut devices = self.session.roster().devices();
        let (id, _) = devices.find(|(_, device)| device.info.identity == info.identity)?;
        let Some(stream) = self.streams.device(id) else {
            return Some(ReportRate { reports: 0, median_ms: None, longest_ms: None });
        };
        let median_ms = stream.intervals.percentile(0.5).map(Nanos::as_millis);
        let longest = stream.intervals.longest();
        let longest_ms = longest.map(|(from, to)| Nanos(to.0 - from.0).as_millis());
        Some(ReportRate { reports: stream.reports, median_ms, longest_ms })
    }
}
