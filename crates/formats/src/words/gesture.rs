//! What came of attempts, in plain sentences with numbers.

use gtrig_core::{
    CheckedLimit, GestureCandidate, GestureId, GestureOutcome, GestureVerdict, LimitSense,
    PollRate, Quantity, Rig,
};

/// What a verdict says, without the name of its gesture: `missed at 316.00 ms:
/// length-mm 8.8 where at least 15 was asked, 6.2 mm short`.
pub fn verdict_words(rig: &Rig, rate: PollRate, verdict: &GestureVerdict) -> String {
    let name = |gesture: GestureId| &rig.gestures[gesture.index()].name;
    match verdict.outcome {
        GestureOutcome::Fired => fired(rig, rate, verdict),
        GestureOutcome::Cancelled(by) if by == verdict.gesture => format!(
            "was ended at {}: a finger of it counted for another attempt, which fired",
            verdict.ended
        ),
        GestureOutcome::Cancelled(by) => {
            format!("was ended at {} by {}, which came first", verdict.ended, name(by))
        }
        GestureOutcome::Open => {
            format!("was still open at {}, where the recording ends", verdict.ended)
        }
        GestureOutcome::Broken => {
            format!(
                "was broken off at {}: its panel took the touch back, or could no longer be heard",
                verdict.ended
            )
        }
        GestureOutcome::Missed => format!("missed at {}: {}", verdict.ended, missed(verdict)),
    }
}

/// The same in a few words: `18.0 mm, 100.0 ms after landing`, `length-mm 6.2 mm
/// short`, `ended by zoom`.
pub fn verdict_brief(rig: &Rig, verdict: &GestureVerdict) -> String {
    match verdict.outcome {
        GestureOutcome::Fired => {
            let named =
                |check: &CheckedLimit| format!("{} {}", check.tunable().name, number(check.value));
            verdict.checks().iter().map(named).collect::<Vec<String>>().join("  ")
        }
        GestureOutcome::Missed => match verdict.nearest() {
            Some(check) => shortfall(check),
            None => {
                let missed = verdict.checks().iter().filter(|check| check.margin < 0.0);
                missed.map(shortfall).collect::<Vec<String>>().join(", ")
            }
        },
        GestureOutcome::Cancelled(by) => format!("ended by {}", rig.gestures[by.index()].name),
        GestureOutcome::Broken => "its panel took the touch back, or was gone".to_string(),
        GestureOutcome::Open => "still open".to_string(),
    }
}

/// `length-mm 6.2 mm short`.
fn shortfall(check: &CheckedLimit) -> String {
    if went_the_other_way(check) {
        return "went the other way".to_string();
    }
    let word = if check.quantity.sense() == LimitSense::AtMost { "over" } else { "short" };
    format!("{} {} {word}", check.tunable().name, amount(check, -check.margin))
}

fn fired(rig: &Rig, rate: PollRate, verdict: &GestureVerdict) -> String {
    let Some(tick) = verdict.fired else { return String::new() };
    let at = rate.time_of(tick);
    let mut words = format!(
        "fired at tick {tick} ({at}), {:.1} ms after the first landing",
        at.since(verdict.began).as_millis()
    );
    if let Some(met) = verdict.met.filter(|&met| met < tick) {
        let others = &rig.gestures[verdict.gesture.index()].waits_for;
        let names: Vec<&str> =
            others.iter().map(|n| rig.gestures[n.index()].name.as_str()).collect();
        let waited = at.since(rate.time_of(met)).as_millis();
        words += &format!(", {waited:.1} ms of it spent waiting for {}", names.join(" and "));
    }
    // What would give way first, for its size.
    let share = |check: &&CheckedLimit| check.margin / check.limit.abs().max(f32::MIN_POSITIVE);
    let tightest = verdict.checks().iter().min_by(|a, b| share(a).total_cmp(&share(b)));
    match tightest {
        Some(check) => format!(
            "{words}; the least to spare: {} {} of {}",
            check.tunable().name,
            amount(check, check.margin),
            number(check.limit)
        ),
        None => words,
    }
}

fn missed(verdict: &GestureVerdict) -> String {
    if let Some(check) = verdict.nearest() {
        let words = format!("{}; all else held", lack(check));
        let is_other =
            |c: &&CheckedLimit| c.is_alone && c.margin < 0.0 && c.quantity != check.quantity;
        let others: Vec<String> = verdict.checks().iter().filter(is_other).map(shortfall).collect();
        return match others.is_empty() {
            true => words,
            false => format!("{words}; or at another moment {} alone", others.join(", or ")),
        };
    }
    format!("{}; no one number alone would have let it fire", lacks(verdict))
}

fn lacks(verdict: &GestureVerdict) -> String {
    let missed = verdict.checks().iter().filter(|check| check.margin < 0.0);
    missed.map(lack).collect::<Vec<String>>().join(", ")
}

/// Whether a swipe went against its direction rather than beside it.
fn went_the_other_way(check: &CheckedLimit) -> bool {
    match check.quantity {
        Quantity::OffAxisDeg => check.value > 90.0,
        Quantity::OffAxisMm => check.value == f32::INFINITY,
        _ => false,
    }
}

/// `length-mm 8.8 where at least 15 was asked, 6.2 mm short`.
fn lack(check: &CheckedLimit) -> String {
    if went_the_other_way(check) {
        return match check.value.is_finite() {
            true => format!("it went the other way, {} degrees off", number(check.value)),
            false => "it went the other way".to_string(),
        };
    }
    let (rule, word) = match check.quantity.sense() {
        LimitSense::AtMost => ("at most", "over"),
        _ => ("at least", "short"),
    };
    let name = check.tunable().name;
    if !check.margin.is_finite() {
        return format!("{name} could not be measured");
    }
    let (value, limit) = (number(check.value), number(check.limit));
    let amount = amount(check, -check.margin);
    format!("{name} {value} where {rule} {limit} was asked, {amount} {word}")
}

/// `6.2 mm`.
fn amount(check: &CheckedLimit, amount: f32) -> String {
    format!("{} {}", number(amount), check.tunable().unit)
}

/// With as many decimals as matter.
fn number(n: f32) -> String {
    let text = if n.abs() < 1.5 { format!("{n:.3}") } else { format!("{n:.1}") };
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text.is_empty() || text == "-0" { "0".to_string() } else { text.to_string() }
}

/// How far an attempt that goes on is.
pub(super) fn progress(rig: &Rig, candidate: &GestureCandidate) -> String {
    let since = candidate.began;
    if candidate.has_fired {
        return format!("is on, by the contact that landed at {since}");
    }
    if candidate.is_waiting {
        let others = &rig.gestures[candidate.gesture.index()].waits_for;
        let names: Vec<&str> =
            others.iter().map(|n| rig.gestures[n.index()].name.as_str()).collect();
        return format!(
            "has what it asks since the contact that landed at {since}, and waits for {}",
            names.join(" and ")
        );
    }
    let checks = candidate.checks.iter().map(|check| {
        let rule =
            if check.quantity.sense() == LimitSense::AtMost { "at most" } else { "at least" };
        let (value, limit) = (number(check.value), number(check.limit));
        format!("{} {value} ({rule} {limit})", check.tunable().name)
    });
    let checks: Vec<String> = checks.collect();
    format!("is being tried since {since}: {}", checks.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{CheckedLimit, LengthUnit};
    use rstest::rstest;

    #[rstest]
    #[case(Quantity::Length, 8.8, 15.0, "length-mm 8.8 where at least 15 was asked, 6.2 mm short")]
    #[case(Quantity::Gap, 262.4, 250.0, "gap-ms 262.4 where at most 250 was asked, 12.4 ms over")]
    #[case(
        Quantity::Straight,
        0.62,
        0.85,
        "straight 0.62 where at least 0.85 was asked, 0.23 of the path short"
    )]
    #[case(Quantity::OffAxisDeg, 147.6, 30.0, "it went the other way, 147.6 degrees off")]
    #[case(Quantity::OffAxisMm, f32::INFINITY, 8.0, "it went the other way")]
    #[case(
        Quantity::OffAxisDeg,
        88.0,
        30.0,
        "off-axis-deg 88 where at most 30 was asked, 58 degrees over"
    )]
    #[case(Quantity::Differs, f32::INFINITY, 25.0, "differs-deg could not be measured")]
    fn what_lacks_is_said(
        #[case] quantity: Quantity,
        #[case] value: f32,
        #[case] limit: f32,
        #[case] words: &str,
    ) {
        let margin = quantity.sense().slack(value, limit);
        assert_eq!(
            lack(&CheckedLimit {
                quantity,
                value,
                limit,
                margin,
                is_alone: true,
                unit: LengthUnit::Mm
            }),
            words
        );
    }
}
