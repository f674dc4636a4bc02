//! What combos do to each other, and what their devices are too slow for.

use super::*;

/// How often combos fired on the way to others that begin like them.
pub(super) fn bites(session: &Session) -> Vec<Line> {
    let (rig, news) = (session.rig(), session.history().combo_news());
    let fired = |combo: ComboId| {
        let is_its = move |n: &&ComboNews| n.combo == combo && n.outcome == ComboOutcome::Fired;
        news.iter().filter(is_its)
    };
    let pairs = begins_alike(rig).into_iter().filter(|alike| !alike.is_same);
    let bites = pairs.filter_map(|alike| {
        // On two devices nothing is on the way to anything.
        let copies = |id: ComboId| rig.combos[id.index()].devices.len();
        let is_alike = copies(alike.short) == copies(alike.long);
        let within = |long: &&ComboNews| {
            let shorts = fired(alike.short).filter(|n| !is_alike || n.copy == long.copy);
            { shorts }.any(|n| n.met >= long.began && n.met < long.met)
        };
        let times = fired(alike.long).filter(within).count();
        let name = |id: ComboId| rig.combos[id.index()].name.clone();
        let (combo, other, of) = (name(alike.short), name(alike.long), fired(alike.long).count());
        (times > 0).then_some(Line::Bite(BiteLine { combo, other, times, of }))
    });
    bites.collect()
}

/// Combos with a window that is shorter than the time between two reports of a
/// device that feeds them: when something happened is not known so well.
pub(super) fn coarse(session: &Session, streams: &StreamWatch) -> Vec<Line> {
    let (rig, roster) = (session.rig(), session.roster());
    let mut moved: BTreeMap<DeviceId, u64> = BTreeMap::new();
    for event in session.recording().events() {
        let control = roster.control(event.control);
        *moved.entry(control.device).or_default() += u64::from(!control.kind.is_button());
    }
    let mut lines = Vec::new();
    for (id, device) in roster.devices() {
        let Some(stream) = streams.device(id) else { continue };
        // Between two presses silence says nothing: half of the reports must be of
        // something that moves.
        let moves = moved.get(&id).copied().unwrap_or(0);
        let median = stream.intervals.percentile(0.5).filter(|_| 2 * moves > stream.reports);
        let Some(median) = median else { continue };
        for combo in &rig.combos {
            let its = |signal: SignalId| match &rig.signals[signal.index()] {
                Signal::Control { control, .. } => control.means(device),
                _ => false,
            };
            let windows = combo.steps.iter().skip(1).map(|step| step.within);
            let shortest = windows.filter_map(|within| match within {
                TimeSpan::Time(nanos) => Some(nanos),
                TimeSpan::Ticks(_) => None,
            });
            if let Some(window) = shortest.min().filter(|window| *window < median.0)
                && combo.signals().any(its)
            {
                lines.push(Line::Coarse(CoarseLine {
                    combo: combo.name.clone(),
                    window_ms: Nanos(window).as_millis(),
                    device: device.label().to_string(),
                    median_ms: median.as_millis(),
                }));
            }
        }
    }
    lines
}
