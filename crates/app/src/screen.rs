//! The full screen.
//!
//! - [`App`] ties together the document, the viewport, the jobs and what each
//!   bench keeps, and changes by commands; it has no terminal and no clock, both
//!   come in from outside.
//! - `document` is what is shown, `viewport` where in it the person looks.
//! - `bench` lists the benches, a file each.
//! - `draw` turns an `App` into a frame and changes nothing.
//! - `terminal` owns the real terminal and gives it back, whatever happens.
//! - `wire` says what changed of a frame in few bytes, `outbox` brings frames to it without waiting, `heart` knows when the program stood
//!   still.
//! - `run` is the loop that ties them together.

mod app;
mod areas;
mod bench;
mod document;
mod draw;
mod find;
mod heart;
mod jobs;
mod keymap;
mod outbox;
mod prompt;
mod rates;
mod run;
mod spots;
mod terminal;
mod theme;
mod view;
mod viewport;
mod wire;

pub use app::{App, Request};
pub use draw::draw;
pub use keymap::{bound, keys_in_force};
pub use run::{Clock, Start, run};
pub use theme::Theme;
pub use view::{Lane, lane_extent, lane_name, lanes};

#[cfg(test)]
mod tests;
