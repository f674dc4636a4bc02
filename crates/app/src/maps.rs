//! Maps of devices from disk: those that are named, and those that a person keeps.

use anyhow::{Context, bail};
use gtrig_core::{DeviceInfo, DeviceMap, DeviceMatch, HardwareIds, MappedControl, MappedFrom, RAW};
use gtrig_formats::map;
use std::{
    env, fs, io,
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
    /// What is wrong with those that nobody named: they are left out.
    pub troubles: Vec<String>,
}

/// A map is no larger than this.
const MAX_BYTES: u64 = 1 << 20;

impl Maps {
    /// Those that were named, and then those of the person's folder.
    ///
    /// # Errors
    /// When one that was named cannot be read, or has mistakes.
    pub fn read(named: &[PathBuf]) -> anyhow::Result<Self> {
        let files = named.iter().map(|path| read(path)).collect::<anyhow::Result<_>>()?;
        let mut maps = Maps { files, troubles: Vec::new() };
        let Some(folder) = folder() else { return Ok(maps) };
        for path in kept(&folder) {
            match read(&path) {
                Ok(file) => maps.files.push(file),
                Err(error) => maps.troubles.push(format!("left out: {error:#}")),
            }
        }
        Ok(maps)
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
    let config = env::var_os("XDG_CONFIG_HOME").filter(|folder| !folder.is_empty());
    let config = config.map(PathBuf::from).or_else(|| {
        let home = env::var_os("HOME").filter(|home| !home.is_empty())?;
        Some(Path::new(&home).join(".config"))
    });
    Some(config?.join("gtrig").join("maps"))
}

/// The files of the folder that are maps, in the order of their names.
fn kept(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let is_map = |path: &PathBuf| path.extension().is_some_and(|extension| extension == "toml");
    let mut paths: Vec<PathBuf> = entries.map(|entry| entry.path()).filter(is_map).collect();
    paths.sort();
    paths
}

fn read(path: &Path) -> anyhow::Result<MapFile> {
    let shown = path.display();
    let about = || format!("cannot read the map {shown}; is the path right?");
    if fs::metadata(path).with_context(about)?.len() > MAX_BYTES {
        bail!("{shown} is larger than 1 MiB: that is no map of a device");
    }
    let bytes = fs::read(path).with_context(about)?;
    let Ok(text) = String::from_utf8(bytes) else {
        bail!("the map {shown} is not UTF-8 text; a map is a TOML file");
    };
    Ok(MapFile { path: path.to_owned(), map: map::parse(&shown.to_string(), &text)? })
}

/// Reads a file if it is a map, and no rig; `None` of one that cannot be read.
///
/// # Errors
/// When the map has mistakes.
pub fn read_if_map(path: &Path) -> anyhow::Result<Option<MapFile>> {
    let is_map = fs::read_to_string(path).is_ok_and(|text| map::is_map(&text));
    is_map.then(|| read(path)).transpose()
}

/// Writes a map that is not there yet.
///
/// # Errors
/// When there is such a file, or it cannot be written.
pub fn write(path: &Path, map: &DeviceMap) -> io::Result<()> {
    if path.exists() {
        let words = format!("{} is there already: name another with --output", path.display());
        return Err(io::Error::new(io::ErrorKind::AlreadyExists, words));
    }
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    gtrig_formats::save_atomically(path, |out| {
        io::Write::write_all(out, map::write(map).as_bytes())
    })
}

/// Names some bits of the reports of a device, in the person's folder: in the map that
/// is for it there, or in a new one. Returns the file.
///
/// # Errors
/// When there is no folder, the map in it has mistakes, or it cannot be written.
pub fn name_bits(device: &DeviceInfo, code: &str, field: &str) -> anyhow::Result<PathBuf> {
    let ids = HardwareIds::of(&device.identity)
        .with_context(|| format!("{} has no numbers by which a map knows it", device.name))?;
    let kept: Vec<PathBuf> = folder().iter().flat_map(|folder| kept(folder)).collect();
    let files = kept.iter().filter_map(|path| read(path).ok()).collect();
    let of_device = Maps { files, troubles: Vec::new() };
    let (path, mut map) = match of_device.of(device) {
        Some(file) => (file.path.clone(), file.map.clone()),
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
            let path = proposed(&map, device).context("there is no home folder for maps")?;
            anyhow::ensure!(
                !path.exists(),
                "{} is there already, and is for another device",
                path.display()
            );
            (path, map)
        }
    };
    map.controls.retain(|control| control.code != code);
    let from = MappedFrom::Control { code: field.to_owned(), kind: None };
    map.controls.push(MappedControl { code: code.to_owned(), from });
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    gtrig_formats::save_atomically(&path, |out| {
        io::Write::write_all(out, map::write(&map).as_bytes())
    })
    .with_context(|| format!("cannot write {}", path.display()))?;
    Ok(path)
}

/// What a new map of a device is called, in the person's folder: by its numbers and
/// its name.
pub fn proposed(map: &DeviceMap, device: &DeviceInfo) -> Option<PathBuf> {
    let name: String = device.name.as_str().to_ascii_lowercase().chars().take(40).collect();
    let words = name.split(|c: char| !c.is_ascii_alphanumeric()).filter(|word| !word.is_empty());
    let how = map.device.is_raw.then_some("reports");
    let numbers = [map.device.vendor, map.device.product].map(|number| format!("{number:04x}"));
    let parts: Vec<&str> = numbers.iter().map(String::as_str).chain(words).chain(how).collect();
    Some(folder()?.join(parts.join("-") + ".toml"))
}
