//! A rig: what a person wrote about sampling, shaping and actions, checked but
//! not yet tied to devices. [`Plan::bind`](crate::Plan::bind) ties it.

use crate::base::{CleanText, PollRate};
use crate::device::SlotRules;
use crate::spec::{
    ActionSpec, Combo, EdgeRule, GameSpec, Gesture, MainRules, Mode, NamedShape, OscSpec, ShapeUse,
    Sign, Signal, Stage, Surface, YardSpec, Zone,
};
use alloc::vec::Vec;

/// A checked rig.
///
/// Invariants: action names are unique; every number lies in the range of its
/// [`Tunable`](crate::tunable::Tunable); there are at most
/// [`MAX_THRESHOLDS`](crate::MAX_THRESHOLDS) different [`Thresholds`](crate::Thresholds); every
/// input suits what its action gives (see [`Gives::accepts`](crate::Gives::accepts)); the shapes,
/// zones, signs, gestures, signals, combos and modes that are named exist; the surface says what
/// the spaces of its zones are; an action that is a gate of others has no gates itself.
///
/// It is plain data, whoever made it: the text format is one source of it, a game that has its own
/// settings another. What is checked is checked where it is read; a rig that was put together in
/// code must keep the invariants itself.
///
/// ```
/// use gtrig_core::{ActionSpec, Gives, InputSpec, PollRate, Rig, Thresholds};
///
/// let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
/// let key = |name: &str| InputSpec::Button { control: name.parse().unwrap(), thresholds };
/// let mut rig = Rig::bare("night shift", PollRate::DEFAULT);
/// let horn = vec![key("pad/south"), key("keys/KeyH")];
/// rig.actions.push(ActionSpec::new("horn", Gives::On, horn));
/// assert_eq!((rig.rate.hz(), rig.actions[0].inputs.len()), (60.0, 2));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Rig {
    /// Shown to people.
    pub name: CleanText,
    /// How often to poll.
    pub rate: PollRate,
    /// Who takes which player slot.
    pub slots: SlotRules,
    /// Which device is the main one.
    pub main: MainRules,
    /// How the edges of controls are derived; of several rules for a control
    /// the last one that says something counts.
    pub edges: Vec<EdgeRule>,
    /// Chains of shaping that inputs refer to.
    pub shapes: Vec<NamedShape>,
    /// The touch surfaces, and the spaces on them.
    pub surface: Surface,
    /// Parts of touch surfaces that inputs refer to; at most
    /// [`MAX_ZONES`](crate::MAX_ZONES), each with a name of its own.
    pub zones: Vec<Zone>,
    /// Strokes that gestures are compared with, each with a name of its own.
    pub signs: Vec<Sign>,
    /// What fingers on touch panels mean; at most
    /// [`MAX_GESTURES`](crate::MAX_GESTURES), each with a name of its own.
    pub gestures: Vec<Gesture>,
    /// Whatever combos are about; each once.
    pub signals: Vec<Signal>,
    /// Presses, holds and chords in time; at most
    /// [`MAX_COMBOS`](crate::MAX_COMBOS), each with a name of its own.
    pub combos: Vec<Combo>,
    /// Which actions and combos are open when; the first is on from the
    /// beginning. At most [`MAX_MODES`](crate::MAX_MODES).
    pub modes: Vec<Mode>,
    /// The actions, in the order game code and screen list them.
    pub actions: Vec<ActionSpec>,
    /// How the crane of the yard moves by them.
    pub yard: YardSpec,
    /// What a game calls its actions.
    pub game: GameSpec,
    /// Which addresses of Open Sound Control are controls, and to which actions are sent.
    pub osc: OscSpec,
}

impl Rig {
    /// A rig that polls and does nothing else.
    pub fn bare(name: &str, rate: PollRate) -> Self {
        Rig {
            name: CleanText::new(name),
            rate,
            slots: SlotRules::default(),
            main: MainRules::default(),
            edges: Vec::new(),
            shapes: Vec::new(),
            surface: Surface::default(),
            zones: Vec::new(),
            signs: Vec::new(),
            gestures: Vec::new(),
            signals: Vec::new(),
            combos: Vec::new(),
            modes: Vec::new(),
            actions: Vec::new(),
            yard: YardSpec::default(),
            game: GameSpec::default(),
            osc: OscSpec::default(),
        }
    }

    /// Shows the stages of every shape, which may be changed.
    pub fn each_chain(&mut self, mut change: impl FnMut(&mut Vec<Stage>)) {
        let named = self.shapes.iter_mut().map(|named| &mut named.shape);
        let inputs = self.actions.iter_mut().flat_map(|action| &mut action.inputs);
        let own = inputs.filter_map(|input| match input.shape_mut() {
            Some(ShapeUse::Own(shape)) => Some(shape),
            _ => None,
        });
        named.chain(own).for_each(|shape| change(&mut shape.stages));
    }
}
