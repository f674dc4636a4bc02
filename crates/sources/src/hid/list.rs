//! Every `/dev/hidraw*`, without listening to any.

use super::{descriptor::Physical, layout::Layout, raw::RawNode};
use gtrig_core::DeviceInfo;
use std::{
    fs, io,
    path::{Path, PathBuf},
};

/// A node, and what its device says of itself.
#[derive(Debug)]
pub struct HidDevice {
    /// The node.
    pub node: PathBuf,
    /// What it is here, or why that cannot be told.
    pub info: Result<DeviceInfo, String>,
    /// What each of its controls is in the world, where its field says it.
    pub physical: Vec<Option<Physical>>,
    /// What it is called.
    pub name: String,
    /// Whether it is left alone without an express wish.
    pub is_private: bool,
}

/// Lists the HID devices of a folder, usually `/dev`, in the order of their numbers.
///
/// # Errors
/// When there is no such folder, or it may not be read.
pub fn list(folder: &Path) -> io::Result<Vec<HidDevice>> {
    let number = |path: &PathBuf| -> Option<u32> {
        path.file_name()?.to_str()?.strip_prefix("hidraw")?.parse().ok()
    };
    let entries = fs::read_dir(folder)?.flatten().map(|entry| entry.path());
    let mut nodes: Vec<(u32, PathBuf)> =
        entries.filter_map(|path| Some((number(&path)?, path))).collect();
    nodes.sort();
    let describe = |(_, node): (u32, PathBuf)| match RawNode::open(&node) {
        Ok(opened) => {
            let name = opened.identity.name.clone();
            let descriptor = opened.descriptor();
            let is_private = descriptor.as_ref().is_ok_and(Layout::is_private);
            let (info, physical) = match descriptor {
                Ok(descriptor) => {
                    let layout = Layout::new(&opened.identity, &descriptor, &[]);
                    (Ok(layout.info), layout.physical)
                }
                Err(fault) => (Err(fault.to_string()), Vec::new()),
            };
            HidDevice { node, info, physical, name, is_private }
        }
        Err(error) => {
            let (info, physical) = (Err(error.to_string()), Vec::new());
            HidDevice { node, info, physical, name: String::new(), is_private: false }
        }
    };
    Ok(nodes.into_iter().map(describe).collect())
}
