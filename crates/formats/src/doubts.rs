//! Doubts about a rig, as JSON Lines for programs.

use gtrig_core::lint::Doubt;
use serde::Serialize;
use std::io::{self, Write};

#[derive(Serialize)]
struct Line<'d> {
    code: &'static str,
    about: &'d str,
    words: &'d str,
}

/// Writes one object a line.
///
/// # Errors
/// Those of `out`.
pub fn write_json(doubts: &[Doubt], out: &mut impl Write) -> io::Result<()> {
    for Doubt { code, about, words } in doubts {
        serde_json::to_writer(&mut *out, &Line { code, about, words })?;
        out.write_all(b"\n")?;
    }
    Ok(())
}
