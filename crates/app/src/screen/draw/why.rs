//! Why the chosen lane is as it is under the playhead.

use super::paint;
use crate::screen::{
    App,
    areas::Areas,
    view::{Lane, lane_name},
};
use gtrig_core::ComboId;
use gtrig_formats::words::{
    attempt_words, combo_words, explain_action, explain_control, explain_gesture,
};
use ratatui::{
    buffer::Buffer,
    widgets::{Paragraph, Widget, Wrap},
};

/// How far a combo is, and what came of the last attempt at it.
fn combo(app: &App, n: ComboId) -> String {
    let rig = app.session().rig();
    let of = &rig.combos[n.index()];
    let met = app.machine().combo_progress(app.session().plan(), n);
    let state = match (app.machine().combo(n).is_on(), met) {
        (true, _) => "on".to_owned(),
        (false, 0) => "idle".to_owned(),
        (false, met) => format!("waiting for step {} of {}", met + 1, of.steps.len()),
    };
    let last = app.attempt_of(n).map_or(String::new(), |attempt| {
        format!(" The last attempt, at {}: {}.", attempt.ended_at, attempt_words(rig, of, attempt))
    });
    format!("{} is {state}: {}.{last}", of.name, combo_words(rig, of))
}

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    paint::rule(buffer, areas.why_rule, app.theme);
    let Some(lane) = app.lane() else { return };
    let title = format!(" why {} ", lane_name(app.session(), lane));
    let x = areas.why_rule.x + 2;
    paint::text(buffer, areas.why_rule, x, &title, app.theme.strong());
    if let Some(words) = app.measured_in_words() {
        paint::text_right(buffer, areas.why_rule, &format!(" {words} "), app.theme.wire());
    } else if let Some((_, words)) = app.marks().find(|(tick, _)| *tick == app.tick()) {
        let flag = format!(" ⚑ {words} ");
        paint::text_right(buffer, areas.why_rule, &flag, app.theme.wire());
    }
    let text = match lane {
        Lane::Control(id) => explain_control(app.session(), app.machine(), id),
        Lane::Action(id, _) => explain_action(app.session(), app.machine(), id),
        Lane::Gesture(n) => explain_gesture(app.session(), app.machine(), n),
        Lane::Combo(n) => combo(app, n),
    };
    let text = match app.difference_here(lane) {
        Some(difference) => format!("{text} {difference}"),
        None => text,
    };
    Paragraph::new(whole_numbers(&text)).wrap(Wrap { trim: true }).render(areas.why, buffer);
    for place in areas.why.positions() {
        if let Some(cell) = buffer.cell_mut(place).filter(|cell| cell.symbol() == UNBROKEN) {
            cell.set_symbol(" ");
        }
    }
}

/// What stands for a space at which no line is broken.
const UNBROKEN: &str = "\u{a0}";

/// The same with numbers that no line breaks: neither between the groups of their digits, nor
/// before their unit.
fn whole_numbers(text: &str) -> String {
    let mut whole = String::with_capacity(text.len());
    for (at, char) in text.char_indices() {
        let after = &text[at + char.len_utf8()..];
        let is_group = after.bytes().take_while(u8::is_ascii_digit).count() == 3;
        let follows_a_digit = whole.ends_with(|before: char| before.is_ascii_digit());
        if char == ' ' && follows_a_digit && (is_group || after.starts_with("ms")) {
            whole += UNBROKEN;
        } else {
            whole.push(char);
        }
    }
    whole
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::groups_and_unit("at 2 500 001 204.31 ms and up", "at 2_500_001_204.31_ms and up")]
    #[case::two_numbers("tick 71 (7 ms) of 12 s, 5 1000", "tick 71 (7_ms) of 12 s, 5 1000")]
    #[case::words("a 500 ms", "a 500_ms")]
    #[case::at_the_end("it is 7 ", "it is 7 ")]
    fn numbers_stay_whole(#[case] text: &str, #[case] whole: &str) {
        assert_eq!(whole_numbers(text).replace(UNBROKEN, "_"), whole);
    }
}
