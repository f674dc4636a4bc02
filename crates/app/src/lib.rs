//! The application: command line, headless commands and the full screen.
//!
//! The binary `gtrig` only calls [`cli::main`]; everything is in this library
//! so that tests and benchmarks can drive it without a terminal.

pub mod cli;
pub mod figure;
pub mod files;
pub mod headless;
mod loops;
pub mod recorder;
pub mod screen;
