//! What a game calls the actions of a rig, so that what it made of a frame can be held
//! against what the rig makes of it.
//!
//! A game sends what it made of every frame; each of its numbers has a name. The rig gives each
//! name a target, so that "is this what the rig says?" has an answer for every frame and number.

use crate::base::{ActionId, Nanos};
use crate::spec::{Gives, Rig, tunable};
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// At most so many names of a game are in a rig.
pub const MAX_GAME_NAMES: usize = 1024;

/// How a game is held against a rig.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct GameSpec {
    /// How far a number of the game may be from the rig's, in units of the action.
    pub tolerance: f64,
    /// A poll that missed an event which came at most so long before it is no mistake:
    /// the event was on its way.
    pub slack: Nanos,
    /// What the game calls its actions; each name once.
    pub names: Vec<GameName>,
}

impl Default for GameSpec {
    fn default() -> Self {
        GameSpec {
            tolerance: tunable::TOLERANCE.default,
            slack: Nanos((tunable::SLACK_MS.default * 1e6) as u64),
            names: Vec::new(),
        }
    }
}

/// A value of a game, and what of the rig it should be.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct GameName {
    /// What the game calls it.
    pub name: String,
    /// What it should be.
    pub target: GameTarget,
}

/// What a value of a game should be in each frame.
///
/// A value of the game `g` agrees in a frame if `|g - times * r|` is at most `|times|` times the
/// tolerance, where `r` is what the rig says of the same frame. Of a way both `r` and the tolerance
/// are multiplied by the seconds of the frame.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GameTarget {
    /// The action of the rig.
    pub action: ActionId,
    /// What of it.
    pub aspect: Aspect,
    /// So many units of the game are one of the rig's.
    pub times: f64,
}

/// What of an action a value of a game is.
///
/// ```
/// use gtrig_core::{Aspect, Gives};
///
/// assert!(Aspect::Pressed.is_count(Gives::On) && Aspect::X.is_count(Gives::Pulse));
/// assert!(Aspect::MovedY.is_way() && Aspect::MovedY.is_second());
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
pub enum Aspect {
    /// Its value, or the first of two. Of a pulse: how often it fired in the frame.
    #[strum(serialize = "x")]
    X,
    /// The second value.
    #[strum(serialize = "y")]
    Y,
    /// How often it turned on in the frame.
    #[strum(serialize = "pressed")]
    Pressed,
    /// How often it turned off in the frame.
    #[strum(serialize = "released")]
    Released,
    /// By how much the frame moved something: the first value for the length of the
    /// frame, in seconds.
    #[strum(serialize = "moved-x")]
    MovedX,
    /// The same of the second value.
    #[strum(serialize = "moved-y")]
    MovedY,
}

impl Aspect {
    /// Whether it counts what happened in a frame, instead of how things stand.
    pub const fn is_count(self, gives: Gives) -> bool {
        matches!((self, gives), (Aspect::Pressed | Aspect::Released, _) | (Aspect::X, Gives::Pulse))
    }

    /// Whether it is a way, which the length of a frame goes into.
    pub const fn is_way(self) -> bool {
        matches!(self, Aspect::MovedX | Aspect::MovedY)
    }

    /// Whether it is of the second value of two.
    pub const fn is_second(self) -> bool {
        matches!(self, Aspect::Y | Aspect::MovedY)
    }
}

impl GameTarget {
    /// What a text names: an action that gives one value (`hoist`), one of two
    /// (`slew.x`), or how often one turned on or off (`horn.pressed`,
    /// `horn.released`). `None` when there is no such thing.
    ///
    /// ```
    /// use gtrig_core::{ActionSpec, Aspect, GameTarget, Gives, PollRate, Rig};
    ///
    /// let mut rig = Rig::bare("quay", PollRate::DEFAULT);
    /// rig.actions.push(ActionSpec::new("slew", Gives::Plane, vec![]));
    /// rig.actions.push(ActionSpec::new("horn", Gives::On, vec![]));
    /// assert_eq!(GameTarget::named(&rig, "slew.y").unwrap().aspect, Aspect::Y);
    /// assert_eq!(GameTarget::named(&rig, "horn.pressed").unwrap().aspect, Aspect::Pressed);
    /// assert_eq!(GameTarget::named(&rig, "slew"), None, "which of its two numbers?");
    /// ```
    pub fn named(rig: &Rig, text: &str) -> Option<GameTarget> {
        let find = |name: &str| rig.actions.iter().position(|action| action.name == name);
        let whole = find(text).map(|at| (at, None));
        let (at, part) = whole.or_else(|| {
            let (name, part) = text.rsplit_once('.')?;
            Some((find(name)?, Some(part)))
        })?;
        let gives = rig.actions[at].gives;
        let aspect = match part {
            None if !gives.is_double() => Aspect::X,
            Some("x") if gives.is_double() => Aspect::X,
            Some("y") if gives.is_double() => Aspect::Y,
            Some("pressed") if gives.is_digital() => Aspect::Pressed,
            Some("released") if gives.is_digital() => Aspect::Released,
            _ => return None,
        };
        Some(GameTarget { action: ActionId::at(at), aspect, times: 1.0 })
    }

    /// The same as what a frame moves; `None` of what does not move anything.
    ///
    /// A game that adds `speed * seconds` to an angle each frame sends a way and not a deflection;
    /// a button, a place and the length of a polar value move nothing.
    pub fn moved(self, gives: Gives) -> Option<GameTarget> {
        let aspect = match self.aspect {
            Aspect::X if !gives.is_digital() && gives != Gives::Place => Aspect::MovedX,
            Aspect::Y if gives == Gives::Plane => Aspect::MovedY,
            _ => return None,
        };
        Some(GameTarget { aspect, ..self })
    }
}

impl Rig {
    /// What a value of a game should be: what the rig says of its name, or else what its
    /// name says itself.
    pub fn game_target(&self, name: &str) -> Option<GameTarget> {
        let said = self.game.names.iter().find(|known| known.name == name);
        said.map(|known| known.target).or_else(|| GameTarget::named(self, name))
    }
}
