//! HID devices without a driver between: their reports, as they send them.
//!
//! A device describes its reports itself (`descriptor`); its controls go by their
//! usages (`usage`), and every byte of its reports is a control as well, so that what
//! the descriptor keeps to itself is in the session and in the take. Bits that a person
//! named in a map become controls too (`layout`).
//!
//! Reports come from the kernel ([`HidRaw`], on Linux) or from a log ([`HexLog`]).

#[cfg(target_os = "linux")]
pub(crate) mod axes;
mod decode;
mod descriptor;
mod hexlog;
mod layout;
#[cfg(target_os = "linux")]
mod list;
#[cfg(target_os = "linux")]
mod raw;
mod usage;
#[cfg(target_os = "linux")]
mod watch;

pub use descriptor::{DescriptorFault, Physical};
pub use hexlog::{HexLog, HexLogFault};
pub use layout::field_of as report_bits_of;
#[cfg(target_os = "linux")]
pub use list::{HidDevice, list};
#[cfg(target_os = "linux")]
pub use raw_source::HidRaw;

#[cfg(target_os = "linux")]
mod raw_source {
    use super::watch::Watch;
    use crate::{Source, listener::Listener, nodes::Wanted};
    use gtrig_analysis::Session;
    use gtrig_core::{DeviceMap, Nanos};
    use std::{io, path::Path};

    /// The HID devices of this machine as a source, besides what drivers make of them.
    #[derive(Debug)]
    pub struct HidRaw(Listener);

    impl HidRaw {
        /// Starts to listen to the devices in `folder`, usually `/dev`, each as the best
        /// of the `maps` has it. `now` is the instant of the session at which it is
        /// called.
        ///
        /// # Errors
        /// When there is no such folder or it cannot be watched.
        pub fn start(
            folder: &Path,
            wanted: Wanted,
            maps: Vec<DeviceMap>,
            now: Nanos,
        ) -> io::Result<Self> {
            let listener = Listener::start(maps.clone(), now, |sender| {
                let watch = Watch::new(folder, wanted, maps, sender)?;
                Ok(move |while_alive: &_| watch.run(while_alive))
            });
            Ok(HidRaw(listener?))
        }
    }

    impl Source for HidRaw {
        fn drain(&mut self, session: &mut Session, now: Nanos) {
            self.0.drain(session, now);
        }

        fn troubles(&mut self) -> Vec<String> {
            self.0.troubles()
        }
    }
}
