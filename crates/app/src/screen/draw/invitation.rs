//! How a browser gets to the page: a code for a camera, and the address in words.

use super::paint;
use crate::{
    qr,
    screen::{App, keymap::Command},
};
use gtrig_sources::Invitation;
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    text::Line,
    widgets::{Block, BorderType, Clear, Paragraph, Widget, Wrap},
};

/// Columns of the words, where there is room for the code beside them.
const WORDS: u16 = 44;

/// With fewer they cannot be read, and the code stays away.
const FEWEST: u16 = 24;

pub(super) fn draw(buffer: &mut Buffer, whole: Rect, app: &App) {
    let Some(invitation) = app.invitation() else { return };
    let code = invitation.addresses.first().and_then(|address| qr::rows(address));
    let code = code.filter(|rows| {
        rows.len() as u16 + 2 <= whole.height && columns(rows) + FEWEST + 4 <= whole.width
    });
    let code = code.unwrap_or_default();
    let width = (columns(&code) + WORDS + 4).min(whole.width);
    let height = match code.len() as u16 {
        0 => 16.min(whole.height),
        rows => rows + 2,
    };
    let area = paint::middle(whole, width, height);
    Clear.render(area, buffer);
    let frame = Block::bordered()
        .border_type(BorderType::Double)
        .border_style(app.theme.wire())
        .title(Line::styled(" the page ", app.theme.strong()));
    let inner = frame.inner(area);
    frame.render(area, buffer);
    for (row, place) in code.iter().zip(paint::rows(inner)) {
        paint::text(buffer, place, place.x, row, app.theme.code());
    }
    let gap = columns(&code) + u16::from(!code.is_empty());
    let words = Rect { x: inner.x + gap + 1, width: inner.width.saturating_sub(gap + 2), ..inner };
    Paragraph::new(lines(app, invitation, !code.is_empty()))
        .wrap(Wrap { trim: false })
        .render(words.intersection(buffer.area), buffer);
}

fn columns(code: &[String]) -> u16 {
    code.first().map_or(0, |row| row.chars().count() as u16)
}

fn lines(app: &App, invitation: &Invitation, has_code: bool) -> Vec<Line<'static>> {
    let theme = app.theme;
    let [close, again] = [Command::Dismiss, Command::Page].map(|command| app.key_of(command));
    let mut lines = vec![Line::styled(
        match has_code {
            true => "Point a camera here, or open",
            false => "Open in a browser",
        },
        theme.plain(),
    )];
    let mut addresses = invitation.addresses.iter();
    lines.extend(addresses.next().map(|of| Line::styled(of.clone(), theme.strong())));
    lines.push(Line::default());
    let others: Vec<&str> = addresses.filter_map(|of| of.split("/#").next()).collect();
    if !others.is_empty() {
        let words = format!("also {}, with the same end", others.join(", "));
        lines.push(Line::styled(words, theme.faint()));
        lines.push(Line::default());
    }
    match &invitation.fingerprint {
        Some(fingerprint) => {
            let words =
                "The browser warns: nobody vouches for the certificate. Compare its SHA-256:";
            lines.push(Line::styled(words, theme.plain()));
            lines.push(Line::styled(fingerprint.clone(), theme.faint()));
        }
        None => {
            let words = "Pads that are plugged into the browser need --page-tls.";
            lines.push(Line::styled(words, theme.faint()));
        }
    }
    lines.push(Line::default());
    let words = format!("It lets one browser in. {close} closes this, {again} shows the next one.");
    lines.push(Line::styled(words, theme.faint()));
    lines
}
