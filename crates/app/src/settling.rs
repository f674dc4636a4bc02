//! Up to when the ticks of a live session may run: until what happened before has been handed
//! over.

use gtrig_core::Nanos;
use gtrig_sources::Source;

/// Events are given this long to arrive before the tick that should see them
/// runs; see [`gtrig_analysis::Session::report`] on those that come later still.
const SETTLE: Nanos = Nanos::from_millis(4);

/// A loop that comes back later than this was held up, and with it the threads that read:
/// what happened meanwhile has yet to be read.
const HELD_UP: Nanos = Nanos::from_millis(50);

/// These threads are given this long then.
const CATCH_UP: Nanos = Nanos::from_millis(20);

/// How far a session has settled. The loop that feeds it asks each time it has drained the
/// sources.
///
/// A loop that was held up does not run the ticks that it missed at once: for a moment it
/// stays where it was, so that what is read meanwhile is seen by its own ticks and not late.
#[derive(Clone, Copy, Debug, Default)]
pub struct Settling {
    /// When the loop came by last.
    came: Option<Nanos>,
    /// When it came by after it was last held up, and when it had come by before.
    held_up: Option<HeldUp>,
}

#[derive(Clone, Copy, Debug)]
struct HeldUp {
    from: Nanos,
    to: Nanos,
}

impl Settling {
    /// Ticks that lie before this may run, now that the sources are drained.
    pub fn until(&mut self, now: Nanos, sources: &[Box<dyn Source>]) -> Nanos {
        let before = self.came.replace(now);
        if let Some(from) = before.filter(|from| now.0.saturating_sub(from.0) > HELD_UP.0) {
            self.held_up = Some(HeldUp { from, to: now });
        }
        self.held_up.take_if(|held_up| now >= held_up.is_over());
        let known = self.held_up.map_or(now, |held_up| held_up.from);
        Nanos(known.0.saturating_sub(wait(sources).0))
    }

    /// From when on the tick of an instant lies before that.
    pub fn settles(&self, at: Nanos, sources: &[Box<dyn Source>]) -> Nanos {
        let usual = Nanos(at.0 + wait(sources).0 + 1);
        self.held_up.map_or(usual, |held_up| usual.max(held_up.is_over()))
    }
}

impl HeldUp {
    fn is_over(self) -> Nanos {
        Nanos(self.to.0 + CATCH_UP.0)
    }
}

/// How long after a tick it may run.
fn wait(sources: &[Box<dyn Source>]) -> Nanos {
    let delay = sources.iter().map(|source| source.delay()).max().unwrap_or_default();
    Nanos(SETTLE.0 + delay.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// When a loop comes by, and up to when ticks may run then, in milliseconds.
    #[rstest]
    #[case::it_comes_in_time(&[(0, 0), (5, 1), (10, 6), (60, 56)])]
    #[case::held_up(&[(10, 6), (200, 6), (201, 6), (219, 6), (220, 216), (225, 221)])]
    #[case::held_up_all_the_time(&[(10, 6), (100, 6), (200, 96), (300, 196)])]
    #[case::it_begins_late(&[(10_000, 9_996), (10_005, 10_001)])]
    fn ticks_wait_until_those_that_read_had_their_time(#[case] looks: &[(u64, u64)]) {
        let mut settling = Settling::default();
        for &(now, until) in looks {
            let settled = settling.until(Nanos::from_millis(now), &[]);
            assert_eq!(settled, Nanos::from_millis(until), "at {now} ms");
        }
    }

    #[test]
    fn the_next_tick_is_not_asked_for_while_they_read() {
        let ms = Nanos::from_millis;
        let mut settling = Settling::default();
        assert_eq!(settling.settles(ms(16), &[]), Nanos(ms(20).0 + 1));
        settling.until(ms(0), &[]);
        settling.until(ms(300), &[]);
        assert_eq!(settling.settles(ms(16), &[]), ms(320));
        assert_eq!(settling.settles(ms(332), &[]), Nanos(ms(336).0 + 1));
    }
}
