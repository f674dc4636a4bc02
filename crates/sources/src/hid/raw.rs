//! An opened `/dev/hidraw*`.

#![allow(unsafe_code, reason = "an ioctl is a call into the kernel with a pointer")]

use super::{
    descriptor::{self, Descriptor, DescriptorFault, MAX_DESCRIPTOR},
    layout::Identity,
};
use nix::libc::c_int;
use std::{
    fs::{File, OpenOptions},
    io::{self, Read},
    os::{
        fd::{AsFd, AsRawFd, BorrowedFd},
        unix::fs::OpenOptionsExt,
    },
    path::Path,
};

/// The kernel's `struct hidraw_devinfo` (`linux/hidraw.h`).
#[repr(C)]
#[derive(Clone, Copy, Default)]
struct RawInfo {
    bus: u32,
    vendor: i16,
    product: i16,
}

/// The kernel's `struct hidraw_report_descriptor`.
#[repr(C)]
struct RawDescriptor {
    size: u32,
    value: [u8; MAX_DESCRIPTOR],
}

nix::ioctl_read!(hidiocgrdescsize, b'H', 0x01, c_int);
nix::ioctl_read!(hidiocgrdesc, b'H', 0x02, RawDescriptor);
nix::ioctl_read!(hidiocgrawinfo, b'H', 0x03, RawInfo);
nix::ioctl_read_buf!(hidiocgrawname, b'H', 0x04, u8);
nix::ioctl_read_buf!(hidiocgrawphys, b'H', 0x05, u8);

/// The longest report that the kernel passes on.
const MAX_REPORT: usize = 16_384;

/// A node, what its device is known by, and what it says that its reports are.
pub(super) struct RawNode {
    file: File,
    pub(super) identity: Identity,
    descriptor: Vec<u8>,
    report: Box<[u8; MAX_REPORT]>,
}

impl RawNode {
    /// Opens a node, which can then be read without waiting.
    ///
    /// # Errors
    /// When it may not be read, or the device is gone.
    pub(super) fn open(path: &Path) -> io::Result<Self> {
        let file = OpenOptions::new().read(true).custom_flags(nix::libc::O_NONBLOCK).open(path)?;
        let (descriptor, info) = asked(&file)?;
        let text = |ask: unsafe fn(c_int, &mut [u8]) -> nix::Result<c_int>| {
            let mut bytes = [0; 256];
            // SAFETY: the request's length is that of the buffer it is given.
            let length = unsafe { ask(file.as_raw_fd(), &mut bytes) }.unwrap_or(0);
            let bytes = &bytes[..usize::try_from(length).unwrap_or(0).min(bytes.len())];
            let end = bytes.iter().position(|byte| *byte == 0).unwrap_or(bytes.len());
            String::from_utf8_lossy(&bytes[..end]).into_owned()
        };
        let identity = Identity {
            bus: info.bus as u16,
            vendor: info.vendor.cast_unsigned(),
            product: info.product.cast_unsigned(),
            place: text(hidiocgrawphys),
            name: text(hidiocgrawname),
        };
        Ok(RawNode { file, identity, descriptor, report: Box::new([0; MAX_REPORT]) })
    }

    /// What it says that its reports are.
    ///
    /// # Errors
    /// When that cannot be read.
    pub(super) fn descriptor(&self) -> Result<Descriptor, DescriptorFault> {
        descriptor::parse(&self.descriptor)
    }

    pub(super) fn fd(&self) -> BorrowedFd<'_> {
        self.file.as_fd()
    }

    /// The next report; `None` when there is none yet.
    ///
    /// # Errors
    /// When the device is gone.
    pub(super) fn read(&mut self) -> io::Result<Option<&[u8]>> {
        match self.file.read(&mut self.report[..]) {
            Ok(0) => Err(io::ErrorKind::UnexpectedEof.into()),
            Ok(length) => Ok(Some(&self.report[..length])),
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => Ok(None),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => Ok(None),
            Err(error) => Err(error),
        }
    }
}

/// The descriptor of a device, and its numbers.
fn asked(file: &File) -> io::Result<(Vec<u8>, RawInfo)> {
    let mut size: c_int = 0;
    // SAFETY: the request takes a pointer to an int, which outlives the call.
    unsafe { hidiocgrdescsize(file.as_raw_fd(), &raw mut size) }?;
    let size = usize::try_from(size).unwrap_or(0).min(MAX_DESCRIPTOR);
    let mut descriptor = Box::new(RawDescriptor { size: size as u32, value: [0; MAX_DESCRIPTOR] });
    // SAFETY: the request takes a pointer to this struct, which outlives the call; the
    // kernel writes no more than `size` bytes of `value`.
    unsafe { hidiocgrdesc(file.as_raw_fd(), &raw mut *descriptor) }?;
    let mut info = RawInfo::default();
    // SAFETY: the request takes a pointer to this struct, which outlives the call.
    unsafe { hidiocgrawinfo(file.as_raw_fd(), &raw mut info) }?;
    Ok((descriptor.value[..size].to_vec(), info))
}
