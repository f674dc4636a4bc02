//! A frame of the full screen at 160x47, with ten minutes of the simulated
//! cab behind it, with a hundred, and with 24 hours.
//!
//! Two views of each: live, the newest two seconds; and frozen with the whole
//! history in view, where every column sums up thousands of changes.

use criterion::{
    BenchmarkGroup, Criterion, criterion_group, criterion_main, measurement::WallTime,
};
use gtrig::{
    commands, files,
    screen::{App, Theme, draw},
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Event, Nanos, Tick};
use ratatui::{Terminal, backend::TestBackend};

/// The cab at work for so many minutes.
fn at_work(minutes: u64) -> Session {
    let rig = files::rig(None, None).unwrap();
    commands::cab_session(rig, 1, Nanos(minutes * 60_000_000_000)).0
}

/// A day at work: its first hour, over and over, all of it kept.
fn a_day() -> Session {
    const HOUR: u64 = 3_600_000_000_000;
    let hour = at_work(60);
    let capacity = Capacity { events: 200_000_000, changes: 200_000_000 };
    let mut day = Session::new(hour.rig().clone(), Tick(0), capacity);
    for (_, device) in hour.roster().devices() {
        day.plug(device.info.clone(), Nanos(0)).unwrap();
    }
    for passed in (0..24).map(|n| n * HOUR) {
        for event in
            hour.seen_from(0).filter(|event| !hour.roster().control(event.control).is_presence)
        {
            day.report(Event { time: Nanos(passed + event.time.0), ..event });
        }
        day.run_before(Nanos(passed + HOUR));
    }
    day
}

fn frame(c: &mut Criterion) {
    let mut group = c.benchmark_group("frame");
    views(&mut group, "10 minutes", at_work(10));
    views(&mut group, "100 minutes", at_work(100));
    views(&mut group, "24 hours", a_day());
    group.finish();
}

fn views(group: &mut BenchmarkGroup<WallTime>, long: &str, session: Session) {
    let mut app = App::live(session, Vec::new(), None, Theme::new(true));
    for whole in [false, true] {
        let view = if whole { "whole history" } else { "live" };
        group.bench_function(format!("{view}, {long}"), |b| {
            let mut terminal = Terminal::new(TestBackend::new(160, 47)).unwrap();
            terminal.draw(|frame| app.fit(frame.area())).unwrap();
            if whole {
                app.show_whole_history();
            }
            b.iter(|| {
                terminal
                    .draw(|frame| {
                        app.fit(frame.area());
                        draw(frame, &app);
                    })
                    .unwrap();
            });
        });
    }
}

criterion_group!(benches, frame);
criterion_main!(benches);
