//! What is wrong with a stream.

use gtrig_analysis::stream::{Trouble, TroubleKind};
use gtrig_core::{Nanos, Roster};

/// What is wrong with a stretch of a stream, with the numbers.
pub fn trouble_words(trouble: &Trouble, roster: &Roster) -> String {
    let device = roster.device(trouble.device).label();
    let Trouble { from, to, count, .. } = *trouble;
    let lasted = Nanos(to.0 - from.0);
    let control = |id| roster.code(id);
    match (trouble.kind, trouble.control) {
        (TroubleKind::Gap, Some(id)) => format!(
            "{device} sent nothing for {lasted} from {from} on (about {count} reports); then {} stood {:.0} % of its range further.",
            control(id),
            trouble.jump * 100.0
        ),
        (TroubleKind::Gap | TroubleKind::Stall, _) => format!(
            "{device}, which reports all the time, sent nothing for {lasted} from {from} on (about {count} reports)."
        ),
        (TroubleKind::Burst, _) => format!(
            "{device} sent {count} reports within {lasted} from {from} on: they had waited, and their times are too late."
        ),
        (TroubleKind::Late, _) => format!(
            "{count} event(s) of {device} came after their own tick had run and were moved to {to}."
        ),
        (TroubleKind::Disordered, _) => format!(
            "{count} event(s) of {device} at {to} carry a time before that of an earlier report."
        ),
        (TroubleKind::Duplicate, id) => format!(
            "{device} reported {} {count} times at {to}: which came first is not known.",
            id.map_or("a control", control)
        ),
        (TroubleKind::Overrun, _) => format!(
            "events of {device} were lost between {from} and {to}, when the source asked for the state again; {count} control(s) differed."
        ),
    }
}
