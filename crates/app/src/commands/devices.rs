//! `gtrig devices`.

use super::shared::{Printing, Status};
use clap::Args;
use std::path::PathBuf;

/// List the kernel's input devices: what each is, its controls with their codes
/// and ranges, and what may not be read and what to do about it.
#[derive(Args, Debug)]
pub struct Devices {
    /// The folder of the devices.
    #[arg(long, value_name = "DIR", default_value = "/dev/input")]
    folder: PathBuf,
    /// Then say which devices come and go, until Ctrl+C.
    #[arg(long)]
    watch: bool,
    #[command(flatten)]
    print: Printing,
}

#[cfg(target_os = "linux")]
mod linux {
    use super::{Devices, Printing, Status};
    use crate::commands::shared::{Form, complain};
    use crate::screen::Clock;
    use gtrig_analysis::{Capacity, Session};
    use gtrig_core::{CleanText, DeviceId, Keyword, Nanos, PollRate, Rig, Tick};
    use gtrig_formats::devices::{DeviceReport, FoundDevice, RefusedDevice};
    use gtrig_sources::{Kernel, KernelDevice, RefusedNode, Source, Wanted, list_kernel_devices};
    use signal_hook::{
        consts::{SIGINT, SIGTERM},
        iterator::Signals,
    };
    use std::{
        collections::BTreeSet,
        io::{self, Write},
        thread,
        time::Duration,
    };

    impl Devices {
        /// Runs it.
        ///
        /// # Errors
        /// When there is no such folder, or standard output cannot be written.
        pub fn run(self) -> anyhow::Result<Status> {
            let folder = self.folder.display();
            let listed = list_kernel_devices(&self.folder).map_err(|error| match error.kind() {
                io::ErrorKind::NotFound => anyhow::anyhow!(
                    "there is no {folder}: is there a kernel with input devices here? Containers often hide them"
                ),
                _ => anyhow::anyhow!("{folder} cannot be read: {error}"),
            });
            let (found, refused) = listed?;
            let found = found.into_iter().map(found_device).collect();
            let refused = refused.into_iter().map(refused_device).collect();
            self.print.output().report(&DeviceReport::new(found, refused))?;
            if self.watch {
                watch(&self)?;
            }
            Ok(Status::Fine)
        }
    }

    fn found_device(device: KernelDevice) -> FoundDevice {
        let KernelDevice { node, info, codes, left_alone } = device;
        let node = CleanText::new(&node.display().to_string()).to_string();
        FoundDevice { node, info, codes, left_alone: left_alone.map(str::to_owned) }
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

    fn watch(devices: &Devices) -> anyhow::Result<()> {
        let mut signals = Signals::new([SIGINT, SIGTERM])?;
        let mut session =
            Session::new(Rig::bare("devices", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
        let clock = Clock::starting_at(Nanos(0));
        let mut kernel = Kernel::start(&devices.folder, Wanted::All, clock.now())?;
        let mut there = None;
        while signals.pending().next().is_none() {
            let now = clock.now();
            kernel.drain(&mut session, now);
            kernel.troubles().iter().for_each(|trouble| complain(trouble));
            session.run_before(now);
            let roster = session.roster();
            let are: BTreeSet<DeviceId> = roster
                .devices()
                .filter(|(_, device)| device.is_connected())
                .map(|(id, _)| id)
                .collect();
            // Those of the list are no news.
            let were = there.replace(are.clone()).unwrap_or_else(|| are.clone());
            let came = are.difference(&were).map(|id| ("came", *id));
            let gone = were.difference(&are).map(|id| ("gone", *id));
            for (line, id) in came.chain(gone) {
                say(&devices.print, &session, (line, id))?;
            }
            thread::sleep(Duration::from_millis(50));
        }
        Ok(())
    }

    fn say(
        print: &Printing,
        session: &Session,
        (line, id): (&'static str, DeviceId),
    ) -> io::Result<()> {
        let device = session.roster().device(id);
        let (address, info) = (device.address().to_string(), &device.info);
        let mut out = io::stdout().lock();
        match print.text() {
            Form::Text => writeln!(out, "{line} {address}  {}", info.name)?,
            Form::Csv => writeln!(out, "{line},{address},{}", info.kind.word())?,
            Form::Json => {
                let (kind, name) = (info.kind.word(), info.name.as_str());
                let identity = info.identity.as_str();
                let news = serde_json::json!({
                    "line": line, "device": address, "kind": kind, "name": name, "identity": identity,
                });
                writeln!(out, "{news}")?;
            }
        }
        out.flush()
    }
}

#[cfg(not(target_os = "linux"))]
impl Devices {
    /// Says that there is nothing to list.
    ///
    /// # Errors
    /// Always.
    pub fn run(self) -> anyhow::Result<Status> {
        anyhow::bail!("kernel devices are read on Linux only")
    }
}
