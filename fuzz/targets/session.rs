//! A rig and a take, a zero byte between them: bound, run, explained, judged, measured,
//! drawn and written out in every form. What lasts longer than a minute is left alone here: how
//! long a question may take is another question.

#![no_main]

use gtrig::{
    figure::{self, Excerpt},
    screen::lanes,
};
use gtrig_analysis::{
    Capacity, Session,
    agree::{self, Held},
    audit,
    measure::{self, Samples},
    stream::StreamWatch,
};
use gtrig_core::{ActionId, GestureId, Nanos, PollRate, Tick};
use gtrig_formats::{
    Report,
    agree::AgreeReport,
    combos::{ComboLines, ComboReports},
    gestures::GestureReport,
    health::HealthReport,
    measure::MeasureReport,
    rig,
    take::TakeReader,
    words::{explain_action, explain_control, explain_gesture},
};
use libfuzzer_sys::fuzz_target;

const ROOM: Capacity = Capacity { events: 1 << 14, changes: 1 << 14 };
const LONGEST: Nanos = Nanos::from_millis(60_000);

/// A drawing is as large as what is drawn, and names are escaped.
fn is_drawn(svg: &str) {
    assert!(svg.starts_with("<svg") && svg.ends_with("</svg>"));
}

/// The polls of frames may claim any time, and what lies between is run: as long as above.
fn is_held_against_its_games(session: &Session) {
    let frames = session.frames();
    let polls = || frames.iter().map(|frame| frame.polled[0].0);
    let lasts = polls().max().unwrap_or(0) - polls().min().unwrap_or(0);
    if lasts > LONGEST.0 || frames.len() > 200 {
        return;
    }
    let recording = session.recording();
    let events: Vec<_> = recording.events().collect();
    let (rig, roster) = (session.rig(), session.roster());
    let held = Held::of(rig, &recording, &events);
    let found: Vec<_> = agree::games(frames)
        .into_iter()
        .take(2)
        .map(|game| agree::agree(held, game, |_| {}))
        .collect();
    let report = AgreeReport::new(rig, roster, frames, &found);
    report.write_text(&mut Vec::new()).expect("memory takes it");
    report.write_json(&mut Vec::new()).expect("memory takes it");
}

fuzz_target!(|bytes: &[u8]| {
    let mut parts = bytes.splitn(2, |byte| *byte == 0);
    let (Some(text), Some(take)) = (parts.next(), parts.next()) else { return };
    let Ok(text) = str::from_utf8(text) else { return };
    let Ok(rig) = rig::parse("fuzz.toml", text) else { return };
    let Ok(reader) = TakeReader::open(take) else { return };
    let (session, _) = reader.load(rig, ROOM);
    let (rate, begins) = (session.plan().rate(), session.history().begins());
    if rate.time_of(session.now().at()).0 - rate.time_of(begins).0 > LONGEST.0 {
        return;
    }
    let streams = StreamWatch::over(&session);
    let reports: [Box<dyn Report>; 3] = [
        Box::new(HealthReport::new(session.roster(), &streams)),
        Box::new(GestureReport::new(&session)),
        Box::new(ComboReports::new(session.rig(), ComboLines::All).rest(&session, &streams)),
    ];
    for report in reports {
        let mut out = Vec::new();
        report.write_text(&mut out).expect("memory takes it");
        report.write_json(&mut out).expect("memory takes it");
        let table = report.table();
        assert!(table.rows.iter().all(|row| row.len() == table.columns.len()));
    }
    is_held_against_its_games(&session);
    let last = session.now().at();
    for tick in [begins, Tick(begins.0.midpoint(last.0)), last] {
        let machine = session.at(tick);
        for (_, device) in session.roster().devices() {
            for control in device.controls().take(8) {
                let _ = explain_control(&session, &machine, control);
            }
        }
        for n in 0..session.rig().actions.len().min(8) {
            let _ = explain_action(&session, &machine, ActionId(n as u16));
        }
        for n in 0..session.rig().gestures.len().min(8) {
            let _ = explain_gesture(&session, &machine, GestureId(n as u16));
        }
    }
    let events: Vec<_> = session.seen_from(0).collect();
    let of_axes: Vec<_> = session.roster().axes().take(4).collect();
    for axes in of_axes {
        let samples = Samples::of(session.roster(), axes, events.iter().copied());
        let found = measure::measure(&samples);
        let proposal = measure::propose(&samples, &found);
        let report = MeasureReport::new(session.roster().axes_label(axes), &found, &proposal);
        report.write_text(&mut Vec::new()).expect("memory takes it");
        is_drawn(&figure::measurement(&samples, &found, &report));
    }
    let (from, to) = (rate.time_of(begins), rate.time_of(last));
    if from < to {
        let lanes = lanes(&session, "");
        let title = "fuzz".to_owned();
        is_drawn(&figure::timeline(&session, &streams, &Excerpt { title, from, to, lanes }));
    }
    let slow = audit::Loop::steady(PollRate::from_hz(30.0).expect("a rate"));
    let _ = audit::audit(session.plan(), &events, slow);
});
