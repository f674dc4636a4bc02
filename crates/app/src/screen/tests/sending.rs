//! Running programs in the stream bench.

use super::*;

fn bench_of(senders: Vec<SenderState>, size: (u16, u16)) -> Bench {
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Sending(senders))];
    let mut bench = Bench::new(App::live(session, sources, None, Theme::new(true)), Nanos(0), size);
    bench.keys("4");
    (0..8).for_each(|_| bench.pass(250));
    bench
}

/// A row each: how it is, how it does, how its clock is known; Tab chooses what is drawn.
#[test]
fn each_sender_is_told_in_a_row() {
    let reading = ClockReading {
        offset_ns: 5,
        drift_ppm: 12.34,
        uncertainty: Some(Nanos(120_000)),
        jumps: 0,
    };
    let far = SenderState {
        is_our_clock: false,
        clock: Some(reading),
        missed: 7,
        ..sender("far-tool", SenderIs::Here)
    };
    let mut bench = bench_of(vec![sender("crane-game", SenderIs::Lost), far], (160, 47));
    let rows = bench.rows();
    let row = |name: &str| rows.iter().find(|row| row.contains(name)).unwrap().clone();
    let (crane, far) = (row("crane-game"), row("far-tool"));
    for part in ["○ gone", "400", "2.50", "this machine's"] {
        assert!(crane.contains(part), "{part}: {crane}");
    }
    for part in ["● here", "7", "± 0.12 ms, +12.3 ppm"] {
        assert!(far.contains(part), "{part}: {far}");
    }
    assert!(rows.iter().any(|row| row.contains("Tab: ms late")));
    bench.key(KeyCode::Tab);
    assert!(bench.rows().iter().any(|row| row.contains("Tab: lost")));
}

#[test]
fn sixty_four_senders_can_be_read_at_once() {
    let senders = (0..64).map(|n| sender(&format!("cab-{n:02}"), SenderIs::Here)).collect();
    let bench = bench_of(senders, (160, 47));
    let text = bench.rows().join("\n");
    for n in 0..64 {
        assert!(text.contains(&format!("● cab-{n:02}")), "cab-{n:02}\n{text}");
    }
}

/// Programs that send, as a source says.
struct Sending(Vec<SenderState>);

impl Source for Sending {
    fn drain(&mut self, _: &mut Session, now: Nanos) {
        // They say a line every 2.5 ms.
        self.0.iter_mut().for_each(|sender| sender.lines = now.0 / 2_500_000);
    }

    fn senders(&self) -> Vec<SenderState> {
        self.0.clone()
    }
}
