//! The files of Green Trigger.
//!
//! - [`rig`]: what a person wrote about sampling, shaping and actions (TOML).
//! - [`take`]: a recording of raw events (JSON Lines).
//! - [`report`]: what a run of a take gave, tick by tick (JSON Lines or CSV).
//! - [`audit`]: what loops of other kinds would have seen (text, JSON).
//! - [`combos`]: what every attempt at a combo came to (text, JSON Lines).
//! - [`compare`]: what came out differently by two rigs (text, JSON).
//! - [`doubts`]: what a rig probably does not mean (JSON Lines).
//! - [`health`]: how well the reports of each device came (text, JSON).
//! - [`measure`]: what a stick was measured to do (text, JSON).
//! - [`shape`]: raw values through a shape, stage by stage (CSV, JSON).
//! - [`Report`]: what all findings have in common.
//! - [`save_atomically`]: how any file is written.
//!
//! Everything read is from outside and not trusted: mistakes come back with
//! their place, and text is cleaned before anything shows it.

mod atomic;
pub mod audit;
pub mod combos;
pub mod compare;
pub mod doubts;
pub mod gestures;
pub mod health;
pub mod measure;
mod nearest;
pub mod report;
pub mod rig;
pub mod shape;
pub mod take;
pub mod words;

pub use atomic::save_atomically;

use std::{
    fmt::Display,
    io::{self, Write},
};

/// A finding that can be printed: for people as text, for programs as JSON.
pub trait Report: Display {
    /// Writes one JSON object and a line feed.
    ///
    /// # Errors
    /// Those of `out`.
    fn write_json(&self, out: &mut dyn Write) -> io::Result<()>;
}

impl<T: Display + serde::Serialize> Report for T {
    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        serde_json::to_writer(&mut *out, self)?;
        out.write_all(b"\n")
    }
}
