//! The compiled form of a rig, for games that ship no parser.
//!
//! `gtrig compile RIG FILE` writes it, [`pack`] does the same, and [`unpack`] reads it. It
//! begins with [`MAGIC`] and [`VERSION`], ends with a CRC-32 of all before, and has the
//! fields of a [`Rig`] in between, in the format of `postcard`. A damaged or foreign one is
//! an error. It is as trusted as the program that it ships with: what was forged with a
//! right checksum is not found out.

use alloc::vec::Vec;
use core::fmt;
use gtrig_core::Rig;

/// The first bytes of a compiled rig.
pub const MAGIC: [u8; 6] = *b"gtrig\0";

/// Which fields a rig has, and in which order. One of another version is refused: compile
/// the text again.
pub const VERSION: u16 = 3;

const CRC: crc::Crc<u32> = crc::Crc::<u32>::new(&crc::CRC_32_ISO_HDLC);

/// What stands before the fields, and after them.
const HEAD: usize = MAGIC.len() + size_of::<u16>();
const TAIL: usize = size_of::<u32>();

/// Why bytes are no compiled rig.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoCompiledRig {
    /// They do not begin like one.
    Foreign,
    /// It was written by another version of Green Trigger.
    OtherVersion(u16),
    /// They are not those that were written: some are missing, or changed.
    Damaged,
}

impl fmt::Display for NoCompiledRig {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NoCompiledRig::Foreign => {
                f.write_str("this is no compiled rig: `gtrig compile` makes one of a text")
            }
            NoCompiledRig::OtherVersion(version) => write!(
                f,
                "this rig was compiled in version {version} of the form, and version {VERSION} is \
                 read here: compile its text again"
            ),
            NoCompiledRig::Damaged => {
                f.write_str("this compiled rig is damaged: bytes are missing or were changed")
            }
        }
    }
}

impl core::error::Error for NoCompiledRig {}

/// The compiled form of a rig.
pub fn pack(rig: &Rig) -> Vec<u8> {
    let mut bytes = MAGIC.to_vec();
    bytes.extend(VERSION.to_le_bytes());
    let fields = postcard::to_allocvec(rig);
    bytes.extend(fields.expect("memory takes it, and a rig has nothing that has no length"));
    bytes.extend(CRC.checksum(&bytes).to_le_bytes());
    bytes
}

/// Reads the compiled form of a rig.
///
/// # Errors
/// When the bytes are not a compiled rig, are damaged, or are of another version.
pub fn unpack(bytes: &[u8]) -> Result<Rig, NoCompiledRig> {
    let Some(rest) = bytes.strip_prefix(&MAGIC) else { return Err(NoCompiledRig::Foreign) };
    let Some((version, _)) = rest.split_first_chunk() else { return Err(NoCompiledRig::Damaged) };
    match u16::from_le_bytes(*version) {
        VERSION => {}
        other => return Err(NoCompiledRig::OtherVersion(other)),
    }
    let Some((content, sum)) = bytes.split_last_chunk::<TAIL>() else {
        return Err(NoCompiledRig::Damaged);
    };
    if content.len() < HEAD || u32::from_le_bytes(*sum) != CRC.checksum(content) {
        return Err(NoCompiledRig::Damaged);
    }
    postcard::from_bytes(&content[HEAD..]).map_err(|_| NoCompiledRig::Damaged)
}
