//! Why a value of a game is not what the rig says.

use super::{FrameAt, reading::ReadKind, variants::Other};
use gtrig_core::{ActionId, ControlId, DeviceId, Nanos, Place};

/// What opens and closes an action.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Gate {
    /// It is closed while this action is on.
    While(ActionId),
    /// It is closed while this action is off.
    Without(ActionId),
    /// It is open in some modes only.
    Modes,
}

/// The mistake with which the rig gives what the game gave, in every frame of a difference
/// and, but for another device, in those beside it.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Cause {
    /// The game read something else than the device had said. With what it read, the rig
    /// gives what it gave.
    Read {
        /// What it read otherwise.
        control: ControlId,
        /// How.
        kind: ReadKind,
    },
    /// A button moved and moved back between two polls. The game does not catch that, and
    /// the rig does.
    Between {
        /// The button.
        control: ControlId,
        /// When it moved.
        moved: Nanos,
        /// When it moved back.
        back: Nanos,
    },
    /// What happened in a frame that ran no fixed step was never read by one.
    StepLost(FrameAt),
    /// What happened in a frame that ran several fixed steps was read by each.
    StepRepeated(FrameAt, u16),
    /// The game follows another device.
    OtherDevice {
        /// The one that the rig follows; `None` where none drives it.
        ours: Option<DeviceId>,
        /// The one that the game follows.
        theirs: DeviceId,
    },
    /// The game does not heed a gate, which is closed.
    GateOpen(Gate),
    /// A gate is open, but by what the game says of it, it is closed there.
    GateClosed(Gate),
    /// What is moved goes the same way in every frame, however long it lasts.
    PerFrame {
        /// The way is right in frames of so many seconds.
        seconds: f64,
        /// The shortest and the longest of the frames.
        lasted: [Nanos; 2],
    },
    /// A number is another one. With any from `from` to `to` all is explained.
    Number {
        /// Where it stands in the rig.
        place: Place,
        /// Its unit.
        unit: &'static str,
        /// What it is by the rig.
        ours: f64,
        /// The smallest that explains it.
        from: f64,
        /// The largest.
        to: f64,
    },
    /// Something is done otherwise.
    Otherwise(Other),
    /// Every value is so many times as large.
    Times(f64),
    /// It goes on though its device cannot be heard.
    Unheard,
    /// It is what it should have been so many frames before.
    FramesLate(u32),
    /// None of these explains it.
    Unknown,
}

impl Cause {
    /// How long an event that was not read had been there.
    pub fn late(&self) -> Option<Nanos> {
        match self {
            Cause::Read { kind, .. } => kind.late(),
            _ => None,
        }
    }
}
