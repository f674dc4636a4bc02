//! A compiled rig is the rig that was compiled, and nothing else is taken for one.

use gtrig_core::Rig;
use gtrig_embed::compiled::{MAGIC, NoCompiledRig, VERSION, pack, unpack};
use gtrig_formats::rig;
use proptest::prelude::*;
use rstest::rstest;
use std::{fs, path::PathBuf};

fn demo(name: &str) -> Rig {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
    rig::parse(name, &fs::read_to_string(path).unwrap()).unwrap()
}

#[rstest]
fn a_compiled_rig_is_the_same_rig(
    #[values("kestrel-quay.toml", "combos.toml", "gestures.toml", "panel.toml", "game.toml")]
    name: &str,
) {
    let rig = demo(name);
    assert_eq!(unpack(&pack(&rig)).unwrap(), rig);
}

/// What this version wrote is read as what its text says. Where this fails, the form has
/// changed: raise [`VERSION`], and let `gtrig compile` write these files anew.
#[rstest]
fn what_this_version_wrote_is_still_read(
    #[values("kestrel-quay", "combos", "gestures")] name: &str,
) {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join(format!("tests/form-{VERSION}"));
    let text = fs::read_to_string(folder.join(format!("{name}.toml"))).unwrap();
    let bytes = fs::read(folder.join(format!("{name}.rig"))).unwrap();
    let rig = rig::parse(name, &text).unwrap();
    assert_eq!(unpack(&bytes), Ok(rig.clone()));
    assert_eq!(pack(&rig), bytes);
}

#[test]
fn what_begins_otherwise_is_foreign() {
    for bytes in [&b""[..], b"rig = 1\n", &MAGIC[..5]] {
        assert_eq!(unpack(bytes), Err(NoCompiledRig::Foreign));
    }
}

#[test]
fn another_version_is_refused_by_its_number() {
    let mut bytes = pack(&demo("game.toml"));
    bytes[MAGIC.len()..][..2].copy_from_slice(&7u16.to_le_bytes());
    let refused = unpack(&bytes).unwrap_err();
    assert_eq!(refused, NoCompiledRig::OtherVersion(7));
    assert!(refused.to_string().contains("version 7"), "{refused}");
}

proptest! {
    #[test]
    fn a_damaged_one_is_refused(at in any::<prop::sample::Index>(), bit in 0..8u8) {
        let mut bytes = pack(&demo("kestrel-quay.toml"));
        let at = at.index(bytes.len());
        bytes[at] ^= 1 << bit;
        prop_assert!(unpack(&bytes).is_err());
    }

    #[test]
    fn a_part_of_one_is_refused(part in any::<prop::sample::Index>()) {
        let bytes = pack(&demo("kestrel-quay.toml"));
        prop_assert!(unpack(&bytes[..part.index(bytes.len())]).is_err());
    }
}
