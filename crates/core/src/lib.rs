//! The pure core of Green Trigger.
//!
//! It turns time-stamped raw events into what a game would have read:
//!
//! 1. [`Session::report`] takes events from sources, in any interleaving.
//! 2. [`Machine::tick`] samples them once per tick and derives edges.
//! 3. Sticks and axes are shaped ([`shape`]) and bindings become actions.
//! 4. [`History`] keeps every event and a checkpoint now and then, so that any
//!    tick can be computed again, to the bit, by running the same code.
//!
//! The crate is `no_std`: there is no file, socket, clock, thread or screen
//! in it, and time comes in with the events. Floating point is IEEE 754
//! arithmetic plus `libm`, so the same events and rig give the same values on
//! every machine.
#![no_std]

extern crate alloc;
#[cfg(test)]
extern crate std;

mod actions;
mod address;
pub mod audit;
pub mod combo;
pub mod compare;
mod device;
mod event;
mod explain;
pub mod gesture;
mod hearing;
mod history;
pub mod knobs;
mod lane;
pub mod lint;
mod machine;
pub mod meant;
pub mod measure;
pub mod pace;
mod plan;
mod recording;
mod rig;
mod roster;
mod sampler;
mod session;
pub mod shape;
mod slots;
pub mod stream;
pub mod surface;
mod text;
mod time;
pub mod touch;
pub mod tunable;
pub mod vocabulary;
pub mod yard;

pub use actions::ActionState;
pub use address::{AddressError, ControlRef};
pub use device::{
    AxisInfo, ControlId, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind, Presence,
    SLOTS,
};
pub use event::{Event, Marks};
pub use explain::{explain_action, explain_control};
pub use hearing::DeviceStatus;
pub use history::{Capacity, History};
pub use lane::{Change, LaneLog, LaneMarks, LaneSummary};
pub use machine::{Closed, Machine, run};
pub use plan::{ActionId, BoundInput, BoundShape, BoundSide, Contact, Opposites, Plan};
pub use recording::Recording;
pub use rig::{
    ActionSpec, BothHeld, Combine, CrossSpec, EdgeRule, EdgeSettings, Gives, InputSpec,
    MAX_THRESHOLDS, NamedShape, Rig, Scope, Shape, ShapeUse, SideSpec, Thresholds, Travel,
};
pub use roster::{Control, Device, MAX_CONTROLS, Roster, RosterError};
pub use sampler::{ControlState, Edge};
pub use session::{Label, Session};
pub use slots::{Deal, MainRule, MainRules, SlotRules};
pub use text::CleanText;
pub use time::{LAST_TIME, Nanos, PollRate, Tick};
