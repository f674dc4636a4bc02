//! How a person arranged the lanes of each rig, kept from run to run (JSON).

use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// The arrangements of so many rigs are kept; of more those with the last names by the
/// alphabet are left out.
pub const MAX_RIGS: usize = 200;

/// So many lanes are pinned or hidden of a rig.
pub const MAX_LANES: usize = 200;

/// How the lanes of a rig are arranged, each lane, action and device by its name as the
/// screen has it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Arrangement {
    /// They come first, in this order, and are never folded away.
    pub pinned: Vec<String>,
    /// They are not shown.
    pub hidden: BTreeSet<String>,
    /// The lanes of these devices are not shown.
    pub hidden_devices: BTreeSet<String>,
    /// What feeds these actions is not shown.
    pub gathered: BTreeSet<String>,
}

/// The arrangements of all rigs, by their names.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Arrangements {
    of: BTreeMap<String, Arrangement>,
}

impl Arrangement {
    /// Whether nothing is arranged.
    pub fn is_empty(&self) -> bool {
        *self == Arrangement::default()
    }

    /// Pins a lane, or takes its pin away.
    pub fn turn_pin(&mut self, lane: &str) {
        match self.pinned.iter().position(|pinned| pinned == lane) {
            Some(at) => _ = self.pinned.remove(at),
            None if self.pinned.len() < MAX_LANES => self.pinned.push(lane.to_owned()),
            None => {}
        }
    }

    /// Moves a pinned lane among the others, up by one or down. Returns whether it could.
    pub fn move_pin(&mut self, lane: &str, by: i32) -> bool {
        let Some(at) = self.pinned.iter().position(|pinned| pinned == lane) else { return false };
        let to = at.saturating_add_signed(by as isize);
        let is_place = to < self.pinned.len() && to != at;
        if is_place {
            self.pinned.swap(at, to);
        }
        is_place
    }

    /// Hides a lane; it is pinned no longer.
    pub fn hide(&mut self, lane: &str) {
        self.pinned.retain(|pinned| pinned != lane);
        if self.hidden.len() < MAX_LANES {
            self.hidden.insert(lane.to_owned());
        }
    }
}

impl Arrangements {
    /// Reads them.
    ///
    /// # Errors
    /// When the text is not what [`Arrangements::text`] writes.
    pub fn parse(text: &str) -> serde_json::Result<Arrangements> {
        let mut all: Arrangements = serde_json::from_str(text)?;
        while all.of.len() > MAX_RIGS {
            all.of.pop_last();
        }
        for arrangement in all.of.values_mut() {
            arrangement.pinned.truncate(MAX_LANES);
        }
        Ok(all)
    }

    /// What [`Arrangements::parse`] reads.
    pub fn text(&self) -> String {
        // Maps with names as keys, which always can be written.
        serde_json::to_string_pretty(self).unwrap_or_default() + "\n"
    }

    /// That of a rig.
    pub fn of(&self, rig: &str) -> Arrangement {
        self.of.get(rig).cloned().unwrap_or_default()
    }

    /// Sets that of a rig, unless too many rigs have one. Returns whether anything changed.
    pub fn set(&mut self, rig: &str, arrangement: Arrangement) -> bool {
        if arrangement.is_empty() {
            return self.of.remove(rig).is_some();
        }
        let has_room = self.of.len() < MAX_RIGS || self.of.contains_key(rig);
        has_room && self.of.insert(rig.to_owned(), arrangement.clone()) != Some(arrangement)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_arranged_is_read_again() {
        let mut lanes = Arrangement::default();
        for lane in ["▷ horn", "pad·1 south", "▷ slew x"] {
            lanes.turn_pin(lane);
        }
        lanes.turn_pin("pad·1 south");
        assert!(lanes.move_pin("▷ slew x", -1) && !lanes.move_pin("▷ slew x", -1));
        lanes.hide("pad·2 \"east\"\n");
        lanes.gathered.insert("hoist".to_owned());
        let mut all = Arrangements::default();
        assert!(all.set("Kestrel Quay", lanes.clone()) && !all.set("Kestrel Quay", lanes.clone()));
        let again = Arrangements::parse(&all.text()).unwrap();
        assert_eq!(again, all);
        assert_eq!(again.of("Kestrel Quay").pinned, ["▷ slew x", "▷ horn"]);
        assert!(again.of("another").is_empty());
        assert!(all.set("Kestrel Quay", Arrangement::default()));
        assert_eq!(all, Arrangements::default());
    }

    #[test]
    fn so_many_arrangements_are_kept() {
        let mut all = Arrangements::default();
        let mut lanes = Arrangement::default();
        for n in 0..=MAX_LANES {
            lanes.turn_pin(&n.to_string());
            lanes.hide(&format!("h{n}"));
        }
        assert_eq!((lanes.pinned.len(), lanes.hidden.len()), (MAX_LANES, MAX_LANES));
        for n in 0..MAX_RIGS {
            assert!(all.set(&format!("{n:03}"), lanes.clone()));
        }
        assert!(!all.set("one more", lanes));
        assert!(Arrangements::parse("{\"r\": 3}").is_err());
        assert_eq!(Arrangements::parse("{\"r\": {\"later\": 1}}").unwrap().of.len(), 1);
    }
}
