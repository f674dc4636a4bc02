//! A frame of the full screen at 160x47, with ten minutes of the simulated
//! cab behind it and with a hundred.
//!
//! Two views of each: live, the newest two seconds; and frozen with the whole
//! history in view, where every column sums up thousands of changes.

use criterion::{Criterion, criterion_group, criterion_main};
use gtrig::{
    commands, files,
    screen::{App, Theme, draw},
};
use gtrig_core::Nanos;
use ratatui::{Terminal, backend::TestBackend};

fn frame(c: &mut Criterion) {
    let mut group = c.benchmark_group("frame");
    for minutes in [10, 100] {
        let rig = files::rig(None, None).unwrap();
        let (session, _) = commands::cab_session(rig, 1, Nanos(minutes * 60_000_000_000));
        let mut app = App::live(session, Vec::new(), None, Theme::new(true));
        for whole in [false, true] {
            let view = if whole { "whole history" } else { "live" };
            group.bench_function(format!("{view}, {minutes} minutes"), |b| {
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
    group.finish();
}

criterion_group!(benches, frame);
criterion_main!(benches);
