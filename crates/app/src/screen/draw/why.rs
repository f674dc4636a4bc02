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
    Paragraph::new(text).wrap(Wrap { trim: true }).render(areas.why, buffer);
}
