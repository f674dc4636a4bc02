//! The files of Green Trigger.
//!
//! - [`rig`]: what a person wrote about sampling, shaping and actions (TOML).
//! - [`take`]: a recording of raw events (JSON Lines).
//! - [`report`]: what a run of a take gave, tick by tick (JSON Lines or CSV).
//! - [`audit`]: what loops of other kinds would have seen (text, JSON).
//! - [`compare`]: what came out differently by two rigs (text, JSON).
//! - [`health`]: how well the reports of each device came (text, JSON).
//! - [`measure`]: what a stick was measured to do (text, JSON).
//! - [`shape`]: raw values through a shape, stage by stage (CSV, JSON).
//! - [`save_atomically`]: how any file is written.
//!
//! Everything read is from outside and not trusted: mistakes come back with
//! their place, and text is cleaned before anything shows it.

mod atomic;
pub mod audit;
pub mod compare;
pub mod health;
pub mod measure;
mod nearest;
pub mod report;
pub mod rig;
pub mod shape;
pub mod take;

pub use atomic::save_atomically;
