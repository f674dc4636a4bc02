//! Figures for a bug report or a design document: lanes over time, what loops
//! of other rates would have seen, a stick and its shape, a measurement, a touch
//! panel, the ladder of a combo. SVG with text that is text, and PDF that carries its font.

mod audit;
mod ladder;
mod measure;
mod page;
mod plot;
mod stick;
mod timeline;
mod touch;

pub use audit::audit;
pub use ladder::{LadderSheet, ladder};
pub use measure::measurement;
pub(crate) use page::round_step;
pub use stick::{StickSheet, stick};
pub use timeline::{Excerpt, moving, timeline};
pub use touch::{TouchSheet, touch};

use crate::packed::{Packed, packed};
use anyhow::{Context, bail};
use gtrig_formats::{Over, save_atomically};
use std::{io::Write, path::Path, sync::Arc};
use svg2pdf::usvg::{self, fontdb};

/// The only font of the figures; it ships with the program, so that a PDF
/// looks the same on a machine that has none.
const FONT: &str = "DejaVu Sans Mono";

/// Its faces that figures use: regular and bold.
const FACES: [Packed; 2] = [packed!("DejaVuSansMono.ttf"), packed!("DejaVuSansMono-Bold.ttf")];

/// Writes a figure as the ending of `path` says: `.svg` or `.pdf`.
///
/// # Errors
/// When the ending is another one, or the file cannot be written.
pub fn save(svg: &str, path: &Path) -> anyhow::Result<()> {
    let bytes = match path.extension().and_then(|ending| ending.to_str()) {
        Some("svg") => svg.as_bytes().to_vec(),
        Some("pdf") => pdf(svg)?,
        _ => bail!("{}: a figure ends in .svg or .pdf", path.display()),
    };
    save_atomically(path, Over::Anything, |out| out.write_all(&bytes))
        .with_context(|| format!("cannot write the figure {}", path.display()))
}

/// A figure as PDF, with its text as text and its font embedded.
///
/// # Errors
/// When the converter refuses the figure, which would be a mistake of ours.
pub fn pdf(svg: &str) -> anyhow::Result<Vec<u8>> {
    let mut fonts = fontdb::Database::new();
    for face in FACES {
        fonts.load_font_data(face.unpack()?);
    }
    fonts.set_monospace_family(FONT);
    let options = usvg::Options {
        fontdb: Arc::new(fonts),
        font_family: FONT.to_owned(),
        ..usvg::Options::default()
    };
    let tree = usvg::Tree::from_str(svg, &options).context("the figure is no sound SVG")?;
    let (conversion, page) = Default::default();
    svg2pdf::to_pdf(&tree, conversion, page)
        .map_err(|error| anyhow::anyhow!("the figure could not become a PDF: {error}"))
}

#[cfg(test)]
mod tests;
