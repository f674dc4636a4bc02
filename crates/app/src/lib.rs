//! The application: command line, headless commands and the full screen.
//!
//! The binary `gtrig` only calls [`commands::main`]; everything is in this library
//! so that tests and benchmarks can drive it without a terminal.

pub mod arrangements;
pub mod broadcast;
pub mod commands;
pub mod figure;
pub mod files;
mod followed;
mod loops;
pub mod maps;
pub mod out;
mod own;
mod packed;
mod programs;
mod qr;
pub mod recorder;
pub mod reels;
pub mod screen;
pub mod settings;
pub mod settling;
