//! Packs what the program brings along and seldom reads: the takes of its stories, and the fonts
//! of its figures. See `src/packed.rs`.

use flate2::{Compression, write::DeflateEncoder};
use std::{env, ffi::OsStr, fs, io, path::Path};

fn main() -> io::Result<()> {
    println!("cargo::rerun-if-changed=build.rs");
    let out = env::var_os("OUT_DIR").expect("cargo says where to");
    for (folder, ending) in [("demo", "jsonl"), ("fonts", "ttf")] {
        println!("cargo::rerun-if-changed={folder}");
        for entry in fs::read_dir(folder)? {
            let path = entry?.path();
            if path.extension() == Some(OsStr::new(ending)) {
                println!("cargo::rerun-if-changed={}", path.display());
                pack(&path, Path::new(&out))?;
            }
        }
    }
    Ok(())
}

/// Writes a file under its name into a folder, packed.
fn pack(path: &Path, folder: &Path) -> io::Result<()> {
    let name = path.file_name().expect("it was found by its name");
    let packed = fs::File::create(folder.join(name))?;
    let mut packed = DeflateEncoder::new(packed, Compression::best());
    io::copy(&mut fs::File::open(path)?, &mut packed)?;
    packed.finish().map(drop)
}
