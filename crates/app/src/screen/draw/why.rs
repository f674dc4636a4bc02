//! Why the chosen lane is as it is under the playhead.

use super::{Areas, paint};
use crate::screen::{
    App,
    view::{Lane, lane_name},
};
use gtrig_core::{explain_action, explain_control, gesture::explain_gesture};
use ratatui::{
    buffer::Buffer,
    widgets::{Paragraph, Widget, Wrap},
};

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    paint::rule(buffer, areas.why_rule, app.theme);
    let Some(lane) = app.lane() else { return };
    let title = format!(" why {} ", lane_name(&app.session, lane));
    let x = areas.why_rule.x + 2;
    paint::text(buffer, areas.why_rule, x, &title, app.theme.strong());
    if let Some((_, words)) = app.marks().find(|(tick, _)| *tick == app.tick()) {
        let flag = format!(" ⚑ {words} ");
        paint::text_right(buffer, areas.why_rule, &flag, app.theme.wire());
    }
    let text = match lane {
        Lane::Control(id) => explain_control(&app.session, app.machine(), id),
        Lane::Action(id, _) => explain_action(&app.session, app.machine(), id),
        Lane::Gesture(n) => explain_gesture(&app.session, app.machine(), n),
    };
    Paragraph::new(text).wrap(Wrap { trim: true }).render(areas.why, buffer);
}
