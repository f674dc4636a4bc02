//! A finger of an attempt is lifted.

use super::{GesturePoll, follow, judge, moments::told, one_tap};
use crate::base::Nanos;
use crate::gesture::{BoundGesture, FingerNews, GestureAttempt, Taps, Ways};
use crate::spec::{GestureKind, SwipeFires};

/// Tells an attempt that fingers of it have been lifted, the last of those that moved at a time.
///
/// `taps` are the last ones of its gesture.
#[inline(never)]
pub(super) fn lift(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    (ways, taps): (&Ways, &mut Taps),
    poll: GesturePoll,
    moved: Nanos,
) {
    let tracks = &ways.tracks;
    let news = |attempt: &GestureAttempt, n| told(attempt, n, tracks).map(|track| track.news);
    let mut fingers = 0..attempt.fingers().len();
    attempt.is_broken |= fingers.any(|n| news(attempt, n) == Some(FingerNews::Broken));
    // What lasts begins only with fingers that are there; what is broken is judged no more.
    if !of.kind.lasts() && !attempt.is_broken {
        follow(attempt, of, moved, poll.tick);
    }
    for n in 0..attempt.fingers().len() {
        if let Some(track) = told(attempt, n, tracks).filter(|track| track.news.is_end()) {
            attempt.lift(of, n, track.time);
        }
    }
    if attempt.is_broken {
        // Of several taps it was only one.
        attempt.is_part |= matches!(of.kind, GestureKind::Tap { times: 2.. });
    } else if attempt.is_complete(of) {
        end(attempt, of, (ways, taps), poll);
    }
}

/// Judges an attempt of which a finger has been lifted, if that is when it is judged.
///
/// What is known only now is worked out here: the velocity of a flick, the likeness of a stroke,
/// the sequence that a tap ends.
fn end(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    (ways, taps): (&Ways, &mut Taps),
    poll: GesturePoll,
) {
    let Some(over) = attempt.over else { return };
    let contact = attempt.first().contact.index();
    match of.kind {
        GestureKind::Tap { .. } if !attempt.all_lifted() => return,
        GestureKind::Tap { times: times @ 2.. } => {
            return one_tap(attempt, of, taps, times, poll.tick);
        }
        GestureKind::Tap { .. }
        | GestureKind::Click { .. }
        | GestureKind::Swipe { fires: SwipeFires::Release, .. } => {}
        GestureKind::Flick => {
            let at = attempt.in_mm(attempt.first().at);
            attempt.release = attempt.in_unit(ways.recent[contact].release(over, at));
        }
        GestureKind::Sign { sign } => {
            if let Some(stroke) = ways.trails[contact].stroke() {
                attempt.likeness = poll.plan.signs.likeness(&stroke, sign);
            }
        }
        _ => return,
    }
    judge(attempt, of, over, poll.tick);
}
