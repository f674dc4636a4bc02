//! Every device of a folder, without listening to any.

use super::{layout::Route, node::Node};
use crate::nodes::Private;
use gtrig_core::DeviceInfo;
use std::{
    fs, io,
    path::{Path, PathBuf},
};

/// A node under the folder, and what it is.
#[derive(Debug)]
pub struct KernelDevice {
    /// The node.
    pub node: PathBuf,
    /// What it is here.
    pub info: DeviceInfo,
    /// For each control the type and code of the kernel's events.
    pub codes: Vec<Option<(u16, u16)>>,
    /// Why it is not listened to without an express wish.
    pub left_alone: Option<&'static str>,
}

/// A node that may not be read.
#[derive(Debug)]
pub struct RefusedNode {
    /// The node.
    pub node: PathBuf,
    /// What the system says of its device: its name, vendor and product.
    pub name: Option<String>,
    /// Vendor and product, as udev rules write them.
    pub id: Option<[String; 2]>,
    /// Why it may not be read.
    pub why: io::Error,
}

/// Lists the devices of a folder, usually `/dev/input`, in the order of their
/// numbers.
///
/// # Errors
/// When there is no such folder, or it may not be read.
pub fn list(folder: &Path) -> io::Result<(Vec<KernelDevice>, Vec<RefusedNode>)> {
    let number = |path: &PathBuf| -> Option<u32> {
        path.file_name()?.to_str()?.strip_prefix("event")?.parse().ok()
    };
    let entries = fs::read_dir(folder)?;
    let mut nodes: Vec<(u32, PathBuf)> = entries
        .flatten()
        .filter_map(|entry| Some((number(&entry.path())?, entry.path())))
        .collect();
    nodes.sort();
    let (mut found, mut refused) = (Vec::new(), Vec::new());
    for (_, node) in nodes {
        match Node::open(&node) {
            Ok(Some(opened)) => found.push(describe(node, &opened)),
            // It reports nothing, or vanished while it was opened.
            Ok(None) => {}
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(why) => {
                let (name, id) = said_by_system(&node);
                refused.push(RefusedNode { node, name, id, why });
            }
        }
    }
    Ok((found, refused))
}

fn describe(node: PathBuf, opened: &Node) -> KernelDevice {
    let layout = opened.layout();
    let mut codes = vec![None; layout.info.controls.len()];
    for (&code, route) in &layout.routes {
        match *route {
            Route::Plain(control) => codes[usize::from(control)] = Some(code),
            Route::Hat(negative, positive) => {
                codes[usize::from(negative)] = Some(code);
                codes[usize::from(positive)] = Some(code);
            }
        }
    }
    let left_alone = opened.is_private().map(Private::words);
    KernelDevice { node, info: layout.info.clone(), codes, left_alone }
}

/// What `/sys` says of a node, which anybody may read.
fn said_by_system(node: &Path) -> (Option<String>, Option<[String; 2]>) {
    let Some(name) = node.file_name() else { return (None, None) };
    let device = Path::new("/sys/class/input").join(name).join("device");
    let read = |part: &str| {
        let text = fs::read_to_string(device.join(part)).ok()?;
        Some(text.trim().to_owned()).filter(|text| !text.is_empty())
    };
    let id = || Some([read("id/vendor")?, read("id/product")?]);
    (read("name"), id())
}
