//! A ratatui program that draws a word and waits for a key: what `scripts/calm` holds the
//! first frame of ours against.

use crossterm::event::{self, Event};
use ratatui::widgets::Paragraph;

fn main() -> std::io::Result<()> {
    let mut terminal = ratatui::init();
    terminal.draw(|frame| frame.render_widget(Paragraph::new("ready"), frame.area()))?;
    while !matches!(event::read()?, Event::Key(_)) {}
    ratatui::restore();
    Ok(())
}
