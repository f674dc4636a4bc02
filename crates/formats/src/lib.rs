//! The files of Green Trigger.
//!
//! - [`rig`]: what a person wrote about sampling, shaping and actions (TOML).
//! - [`take`]: a recording of raw events (JSON Lines).
//! - [`ticks`]: what a run of a take gave, tick by tick.
//! - [`addresses`]: which addresses of messages are controls (TOML).
//! - [`agree`]: whether a game gives what its rules say.
//! - [`audit`]: what loops of other kinds would have seen.
//! - [`combos`], [`gestures`]: what every attempt came to.
//! - [`arrangement`]: how a person arranged the lanes of each rig.
//! - [`compare`]: what came out differently by two rigs.
//! - [`devices`]: what is plugged into a machine.
//! - [`doubts`]: what a rig probably does not mean.
//! - [`health`]: how well the reports of each device came.
//! - [`live`]: lines of a running program.
//! - [`log`]: what happened, a line each.
//! - [`map`]: what a person called the controls of a device (TOML).
//! - [`measure`]: what a stick was measured to do.
//! - [`osc`]: packets of Open Sound Control, and of the touch protocol over it.
//! - [`reel`]: recordings for days (MCAP).
//! - [`shape`]: raw values through a shape, stage by stage.
//! - [`tables`]: a session as tables for tools of data (CSV, Parquet), and back.
//! - [`Report`]: what all findings have in common: text, JSON and CSV.
//! - [`save_atomically`]: how any file is written.
//!
//! Everything read is from outside and not trusted: mistakes come back with
//! their place, and text is cleaned before anything shows it.

pub mod addresses;
pub mod agree;
pub mod arrangement;
mod atomic;
pub mod audit;
pub mod combos;
pub mod compare;
pub mod devices;
mod document;
pub mod doubts;
pub mod gestures;
pub mod health;
pub mod live;
pub mod log;
pub mod map;
pub mod measure;
mod nearest;
pub mod osc;
#[cfg(feature = "reel")]
pub mod reel;
mod report;
pub mod rig;
pub mod settings;
pub mod shape;
pub mod tables;
pub mod take;
pub mod ticks;
pub mod words;

pub use atomic::{Over, save_atomically};
pub use document::MAX_BYTES as MAX_DOCUMENT_BYTES;
pub use document::problem::{MAX_LISTED as MAX_LISTED_MISTAKES, Mistakes, Problem};
pub use report::{Report, Rows, Table, json_line};
