//! Maps of devices from disk: those that are named, and those that a person keeps.

use crate::settings;
use anyhow::{Context, bail};
use gtrig_core::{
    AddressMap, DeviceInfo, DeviceMap, DeviceMatch, HardwareIds, MappedControl, MappedFrom, RAW,
};
use gtrig_formats::{Over, addresses, map, save_atomically};
use std::{
    fs,
    io::{self, Write},
    path::{Path, PathBuf},
};

/// A map and its file.
#[derive(Clone, Debug)]
pub struct MapFile {
    /// The file.
    pub path: PathBuf,
    /// What it says.
    pub map: DeviceMap,
}

/// The maps that are in force.
#[derive(Clone, Debug, Default)]
pub struct Maps {
    files: Vec<MapFile>,
    /// Which addresses are controls.
    pub addresses: AddressMap,
    /// What is wrong with those that nobody named: they are left out.
    pub troubles: Vec<String>,
}

/// What a file of a map says.
#[derive(Clone, Debug)]
pub enum AnyMap {
    /// What the controls of a device are called.
    Device(MapFile),
    /// Which addresses are controls.
    Addresses(AddressMap),
}

/// A map is no larger than this.
const MAX_BYTES: u64 = 1 << 20;

impl Maps {
    /// Those that were named, and then those of the person's folder.
    ///
    /// # Errors
    /// When one that was named cannot be read, or has mistakes.
    pub fn read(named: &[PathBuf]) -> anyhow::Result<Self> {
        Maps::of_folder(named, folder().as_deref())
    }

    fn of_folder(named: &[PathBuf], folder: Option<&Path>) -> anyhow::Result<Self> {
        let mut maps = Maps::default();
        for path in named {
            maps.add(read(path)?);
        }
        for path in folder.map(kept).unwrap_or_default() {
            match read(&path) {
                Ok(file) => maps.add(file),
                Err(error) => maps.troubles.push(format!("left out: {error:#}")),
            }
        }
        Ok(maps)
    }

    fn add(&mut self, file: AnyMap) {
        match file {
            AnyMap::Device(file) => self.files.push(file),
            AnyMap::Addresses(map) => {
                self.addresses = std::mem::take(&mut self.addresses).with(&map);
            }
        }
    }

    /// The maps alone, for a source.
    pub fn all(&self) -> Vec<DeviceMap> {
        self.files.iter().map(|file| file.map.clone()).collect()
    }

    /// The one that a device is seen through.
    pub fn of(&self, info: &DeviceInfo) -> Option<&MapFile> {
        let maps = self.all();
        let best = DeviceMap::best(&maps, info)?;
        self.files.iter().find(|file| file.map == *best)
    }
}

/// Where a person keeps maps that are always in force.
pub fn folder() -> Option<PathBuf> {
    Some(settings::folder()?.join("maps"))
}

/// The files of the folder that are maps, in the order of their names.
fn kept(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let is_map = |path: &PathBuf| path.extension().is_some_and(|extension| extension == "toml");
    let mut paths: Vec<PathBuf> = entries.map(|entry| entry.path()).filter(is_map).collect();
    paths.sort();
    paths
}

fn read(path: &Path) -> anyhow::Result<AnyMap> {
    let shown = path.display();
    let about = || format!("cannot read the map {shown}; is the path right?");
    if fs::metadata(path).with_context(about)?.len() > MAX_BYTES {
        bail!("{shown} is larger than 1 MiB: that is no map of a device");
    }
    let bytes = fs::read(path).with_context(about)?;
    let Ok(text) = String::from_utf8(bytes) else {
        bail!("the map {shown} is not UTF-8 text; a map is a TOML file");
    };
    if addresses::is_map(&text) {
        return Ok(AnyMap::Addresses(addresses::parse(&shown.to_string(), &text)?));
    }
    let map = map::parse(&shown.to_string(), &text)?;
    Ok(AnyMap::Device(MapFile { path: path.to_owned(), map }))
}

/// Reads a file if it is a map, and no rig; `None` of one that cannot be read.
///
/// # Errors
/// When the map has mistakes.
pub fn read_if_map(path: &Path) -> anyhow::Result<Option<AnyMap>> {
    let is_one = |text: String| map::is_map(&text) || addresses::is_map(&text);
    let is_map = fs::read_to_string(path).is_ok_and(is_one);
    is_map.then(|| read(path)).transpose()
}

/// Writes a map that is not there yet.
///
/// # Errors
/// When there is such a file, or it cannot be written.
pub fn write(path: &Path, map: &DeviceMap) -> io::Result<()> {
    save(path, Over::Nothing, map).map_err(|error| match error.kind() {
        io::ErrorKind::AlreadyExists => {
            let words = format!("{} is there already: name another with --output", path.display());
            io::Error::new(io::ErrorKind::AlreadyExists, words)
        }
        _ => error,
    })
}

/// Writes a map, and makes its folder where there is none.
fn save(path: &Path, over: Over, map: &DeviceMap) -> io::Result<()> {
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    save_atomically(path, over, |out| out.write_all(map::write(map).as_bytes()))
}

/// Names some bits of the reports of a device, in the person's folder: in the map that
/// is for it there, or in a new one. Returns the file.
///
/// # Errors
/// When there is no folder, the map in it has mistakes, or it cannot be written.
pub fn name_bits(device: &DeviceInfo, code: &str, field: &str) -> anyhow::Result<PathBuf> {
    name_bits_in(&folder().context("there is no home folder for maps")?, device, (code, field))
}

fn name_bits_in(
    folder: &Path,
    device: &DeviceInfo,
    (code, field): (&str, &str),
) -> anyhow::Result<PathBuf> {
    let ids = HardwareIds::of(&device.identity)
        .with_context(|| format!("{} has no numbers by which a map knows it", device.name))?;
    let of_device = Maps::of_folder(&[], Some(folder))?;
    let (path, mut map, over) = match of_device.of(device) {
        Some(file) => (file.path.clone(), file.map.clone(), Over::Anything),
        None => {
            let device_match = DeviceMatch {
                vendor: ids.vendor,
                product: ids.product,
                version: None,
                name: (ids.vendor == 0).then(|| device.name.to_string()),
                is_raw: device.identity.starts_with(RAW),
            };
            let map = DeviceMap {
                device: device_match,
                name: None,
                kind: None,
                controls: Vec::new(),
                left_out: Vec::new(),
            };
            let path = folder.join(file_name(&map, device));
            (path, map, Over::Nothing)
        }
    };
    map.controls.retain(|control| control.code != code);
    let from = MappedFrom::Control { code: field.to_owned(), kind: None };
    map.controls.push(MappedControl { code: code.to_owned(), from });
    save(&path, over, &map).with_context(|| format!("cannot write {}", path.display()))?;
    Ok(path)
}

/// Where a person keeps the addresses that were named on the screen.
pub fn of_addresses() -> Option<PathBuf> {
    Some(folder()?.join("osc.toml"))
}

/// Adds addresses that were named to a map of them, or makes one. What it has by the same
/// names is named anew.
///
/// # Errors
/// When there is something else, or it has mistakes, or cannot be written.
pub fn name_addresses(path: &Path, named: &AddressMap) -> anyhow::Result<()> {
    let about = || format!("cannot write {}", path.display());
    let (known, over) = match fs::read(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Default::default(),
        Err(error) => return Err(error).with_context(about),
        Ok(bytes) => match read(path)? {
            AnyMap::Addresses(known) => (known, Some(bytes)),
            AnyMap::Device(_) => bail!("{} is the map of a device", path.display()),
        },
    };
    let map = named.clone().with(&known);
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder).with_context(about)?;
    }
    let over = over.as_deref().map_or(Over::Nothing, Over::Same);
    let text = addresses::write(&map);
    // What is too much is found before it is written.
    addresses::parse(&path.display().to_string(), &text)?;
    save_atomically(path, over, |out| out.write_all(text.as_bytes())).with_context(about)
}

/// Where a new map of a device goes in the person's folder.
pub fn proposed(map: &DeviceMap, device: &DeviceInfo) -> Option<PathBuf> {
    Some(folder()?.join(file_name(map, device)))
}

/// What a new map of a device is called: by its numbers and its name.
fn file_name(map: &DeviceMap, device: &DeviceInfo) -> String {
    let name: String = device.name.as_str().to_ascii_lowercase().chars().take(40).collect();
    let words = name.split(|c: char| !c.is_ascii_alphanumeric()).filter(|word| !word.is_empty());
    let how = map.device.is_raw.then_some("reports");
    let numbers = [map.device.vendor, map.device.product].map(|number| format!("{number:04x}"));
    let parts: Vec<&str> = numbers.iter().map(String::as_str).chain(words).chain(how).collect();
    parts.join("-") + ".toml"
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceKind};

    fn device(identity: &str) -> DeviceInfo {
        DeviceInfo {
            identity: identity.into(),
            kind: DeviceKind::Other,
            name: CleanText::new("Quay: pedal board!"),
            bus: CleanText::default(),
            slot: None,
            controls: vec![ControlInfo::new("z", ControlKind::Button)],
        }
    }

    fn map(more: &str) -> String {
        format!("map = 1\n[device]\nvendor = \"6b71\"\nproduct = \"0009\"\n{more}")
    }

    /// Files of a folder of maps.
    fn folder_of(files: &[(&str, &str)]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in files {
            fs::write(folder.path().join(name), text).unwrap();
        }
        folder
    }

    #[test]
    fn the_map_that_asks_most_is_taken_and_then_the_one_that_was_named() {
        let version = map("version = \"0100\"\n");
        let folder = folder_of(&[("b.toml", &map("")), ("a.toml", &map("")), ("v.toml", &version)]);
        let elsewhere = folder_of(&[("n.toml", &map(""))]);
        let named = elsewhere.path().join("n.toml");
        let of = |named: &[PathBuf], identity: &str| {
            let maps = Maps::of_folder(named, Some(folder.path())).unwrap();
            let file = maps.of(&device(identity)).map(|file| file.path.clone());
            file.and_then(|path| Some(path.file_name()?.to_str()?.to_owned()))
        };
        let (new, old) = ("0003:6b71:0009:0100:x", "0003:6b71:0009:0099:x");
        assert_eq!(of(&[], new).as_deref(), Some("v.toml"));
        assert_eq!(of(&[], old).as_deref(), Some("a.toml"), "of equals the first by name");
        assert_eq!(of(std::slice::from_ref(&named), old).as_deref(), Some("n.toml"));
        assert_eq!(of(&[named], new).as_deref(), Some("v.toml"));
        assert_eq!(of(&[], "0003:6b71:000a:0100:x"), None);
        assert_eq!(of(&[], "hid/0003:6b71:0009:0000:x"), None, "its controls have other names");
    }

    #[test]
    fn a_bad_map_is_left_out_of_the_folder_but_an_error_where_it_was_named() {
        let folder = folder_of(&[("bad.toml", "map = 2\n"), ("good.toml", &map(""))]);
        let maps = Maps::of_folder(&[], Some(folder.path())).unwrap();
        assert_eq!((maps.all().len(), maps.troubles.len()), (1, 1));
        assert!(maps.troubles[0].contains("bad.toml"), "{:?}", maps.troubles);
        assert!(Maps::of_folder(&[folder.path().join("bad.toml")], None).is_err());
    }

    #[test]
    fn bits_are_named_in_the_map_of_their_device() {
        let folder = folder_of(&[]);
        let raw = device("hid/0003:6b71:0009:0000:x");
        let name =
            |code: &str, field: &str| name_bits_in(folder.path(), &raw, (code, field)).unwrap();
        let path = name("hoist", "field-3-24-12");
        assert_eq!(path.file_name().unwrap(), "6b71-0009-quay-pedal-board-reports.toml");
        assert_eq!(name("fine", "field-3-40-8s"), path, "a second name goes to the same file");
        assert_eq!(name("hoist", "field-3-24-11"), path);
        let AnyMap::Device(file) = read(&path).unwrap() else { panic!("the map of a device") };
        let mut controls: Vec<(String, String)> = { file.map.controls.iter() }
            .map(|control| (control.code.clone(), control.from.parts().collect()))
            .collect();
        controls.sort();
        let of = |code: &str, from: &str| (code.to_owned(), from.to_owned());
        assert_eq!(controls, [of("fine", "field-3-40-8s"), of("hoist", "field-3-24-11")]);
        assert!(write(&path, &file.map).is_err(), "what is there is not written over");
        let simulated = device("cab-pad-a");
        assert!(name_bits_in(folder.path(), &simulated, ("a", "field-0-0-1")).is_err());
    }
}
