//! The part of Green Trigger that an engine can embed: devices, rigs, and a
//! machine that turns time-stamped raw events into what game code reads.
//!
//! The crate is built like the road that the data takes. Each stage is a
//! module that knows only those above it in this list:
//!
//! | stage | holds |
//! |---|---|
//! | `base` | time, the numbers of things, sets of them, text, vectors |
//! | `device` | devices and controls, their events, the roster that numbers them |
//! | `spec` | what a rig says: rules, shapes, zones, gestures, combos, actions; every tunable number |
//! | `sample` | one control, one device, polled: state, edges, marks |
//! | `shape` | what stages make of a value: dead zones, curves, smoothing |
//! | `touch` | contacts of touch panels, and the zones that have them |
//! | `gesture` | what fingers mean |
//! | `combo` | presses, holds and chords in time |
//! | `plan` | a rig tied to the devices of a roster: immutable |
//! | `run` | the machine: all that changes from tick to tick |
//!
//! The crate is `no_std`: there is no file, socket, clock, thread or screen
//! in it, and time comes in with the events. Floating point is IEEE 754
//! arithmetic plus `libm`, so the same events and rig give the same values on
//! every machine.
#![no_std]

extern crate alloc;
#[cfg(test)]
extern crate std;

mod base;
mod combo;
mod device;
mod gesture;
mod plan;
mod run;
mod sample;
mod shape;
mod spec;
mod touch;

pub use base::*;
pub use combo::*;
pub use device::*;
pub use gesture::*;
pub use plan::*;
pub use run::*;
pub use sample::*;
pub use shape::*;
pub use spec::*;
pub use touch::*;
