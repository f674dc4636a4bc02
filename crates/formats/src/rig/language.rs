//! The language of combos: the texts of their steps.
//!
//! ```text
//! steps   = step { "," step } ;
//! step    = what { clause } ;
//! what    = "press" any [ count ] | "push" any | "make" any | "release" any
//!         | "tap" any [ count ] [ "in" time ]
//!         | "hold" any "for" time
//!         | "together" name "and" name { "and" name } [ "in" time ] [ "in" "order" ]
//!         | "quiet" "for" time
//!         | "do" combo [ number "times" ] ;
//! any     = name { "or" name } ;
//! count   = [ "exactly" ] number "times" ;
//! clause  = "after" time | "within" time | "buffered" time
//!         | "unless" name { "or" name } ;
//! time    = number ( "ms" | "s" | "tick" | "ticks" ) ;
//! ```

use super::problem::{Problems, Word};
use gtrig_core::{TimeSpan, tunable};
use std::ops::Range;

/// A step as it is written.
#[derive(Clone, Debug)]
pub(super) struct Written<'t> {
    pub(super) verb: Verb,
    pub(super) names: Vec<Word<'t>>,
    /// Of a hold, a quiet, a tap or a chord.
    pub(super) own: Option<TimeSpan>,
    pub(super) in_order: bool,
    /// How many times it is done, one after the other.
    pub(super) times: u8,
    /// Not once more, nor before nor after.
    pub(super) is_exact: bool,
    pub(super) after: Option<TimeSpan>,
    pub(super) within: Option<TimeSpan>,
    pub(super) buffered: Option<TimeSpan>,
    pub(super) unless: Vec<Word<'t>>,
    pub(super) span: Range<usize>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Verb {
    Press,
    Release,
    Tap,
    Hold,
    Together,
    Quiet,
    Do,
}

const VERBS: [(&str, Verb); 9] = [
    ("press", Verb::Press),
    ("push", Verb::Press),
    ("make", Verb::Press),
    ("release", Verb::Release),
    ("tap", Verb::Tap),
    ("hold", Verb::Hold),
    ("together", Verb::Together),
    ("quiet", Verb::Quiet),
    ("do", Verb::Do),
];

/// A step is done at most so many times by one word.
const MAX_TIMES: u8 = 12;

const CLAUSES: [&str; 4] = ["after", "within", "buffered", "unless"];

/// Reads one step, which stands at `offset` of the file.
pub(super) fn step<'t>(
    problems: &mut Problems,
    text: &'t str,
    place: impl Fn(Range<usize>) -> Range<usize>,
) -> Option<Written<'t>> {
    let mut reader = Reader::new(text, &place);
    let whole = place(0..text.len());
    let Some(first) = reader.next() else {
        let expected = format!("a step, such as \"press south\"; one of {}", verbs());
        problems.add(whole, "nothing".to_owned(), &expected);
        return None;
    };
    let Some((_, verb)) = VERBS.iter().find(|(word, _)| *word == first.text) else {
        let known = VERBS.iter().map(|(word, _)| *word);
        problems.add_word(&first, known, &format!("what is done: {}", verbs()));
        return None;
    };
    let mut step = Written {
        verb: *verb,
        names: Vec::new(),
        own: None,
        in_order: false,
        times: 1,
        is_exact: false,
        after: None,
        within: None,
        buffered: None,
        unless: Vec::new(),
        span: whole,
    };
    reader.names(problems, &mut step)?;
    reader.count(problems, &mut step)?;
    while let Some(word) = reader.next() {
        reader.clause(problems, &mut step, word)?;
    }
    check_own(problems, &step)?;
    Some(step)
}

fn verbs() -> String {
    VERBS.map(|(word, _)| word).join(", ")
}

fn check_own(problems: &mut Problems, step: &Written) -> Option<()> {
    let needs = matches!(step.verb, Verb::Hold | Verb::Quiet);
    if needs && step.own.is_none() {
        let expected = "`for` and a time, such as \"for 400 ms\"";
        problems.add(step.span.clone(), "a step without it".to_owned(), expected);
        return None;
    }
    Some(())
}

struct Reader<'t> {
    words: std::iter::Peekable<std::vec::IntoIter<Word<'t>>>,
    end: Range<usize>,
}

impl<'t> Reader<'t> {
    fn new(text: &'t str, place: &impl Fn(Range<usize>) -> Range<usize>) -> Self {
        let words = text.split_whitespace().map(|word| {
            let at = word.as_ptr() as usize - text.as_ptr() as usize;
            Word { text: word, span: place(at..at + word.len()) }
        });
        let words: Vec<Word> = words.collect();
        let end = text.trim_end().len();
        Reader { words: words.into_iter().peekable(), end: place(end.saturating_sub(1)..end) }
    }

    fn next(&mut self) -> Option<Word<'t>> {
        self.words.next()
    }

    fn next_is(&mut self, text: &str) -> bool {
        self.words.next_if(|word| word.text == text).is_some()
    }

    /// The names that a verb asks for.
    fn names(&mut self, problems: &mut Problems, step: &mut Written<'t>) -> Option<()> {
        if step.verb == Verb::Quiet {
            return Some(());
        }
        step.names.push(self.name(problems)?);
        let joint = match step.verb {
            Verb::Together => "and",
            Verb::Press | Verb::Release | Verb::Tap | Verb::Hold => "or",
            Verb::Quiet | Verb::Do => return Some(()),
        };
        while self.next_is(joint) {
            step.names.push(self.name(problems)?);
        }
        if step.verb == Verb::Together && step.names.len() < 2 {
            let expected = "two names or more, joined by `and`";
            problems.add(step.span.clone(), "a chord of one".to_owned(), expected);
            return None;
        }
        Some(())
    }

    /// How many times a press, a tap or another combo is done.
    fn count(&mut self, problems: &mut Problems, step: &mut Written<'t>) -> Option<()> {
        if !matches!(step.verb, Verb::Press | Verb::Tap | Verb::Do) {
            return Some(());
        }
        // Of steps that are not all the same, "no more" has no meaning.
        step.is_exact = step.verb != Verb::Do && self.next_is("exactly");
        let number = self.words.next_if(|word| word.text.parse::<u8>().is_ok());
        let times = number.as_ref().and_then(|number| number.text.parse().ok());
        let is_meant = step.is_exact || number.is_some();
        match times.filter(|times| (2..=MAX_TIMES).contains(times)) {
            Some(times) if self.next_is("times") => step.times = times,
            _ if is_meant => {
                let expected = format!(
                    "a number from 2 to {MAX_TIMES} and `times`, such as \"exactly 2 times\""
                );
                let place = number.map_or(self.end.clone(), |number| number.span);
                problems.add(place, "a count".to_owned(), &expected);
                return None;
            }
            _ => {}
        }
        Some(())
    }

    fn name(&mut self, problems: &mut Problems) -> Option<Word<'t>> {
        let word = self.next();
        if word.is_none() {
            let expected = "a name, such as south, keys/KeyH, action/horn or gesture/wave";
            problems.add(self.end.clone(), "the end of the step".to_owned(), expected);
        }
        word
    }

    fn clause(
        &mut self,
        problems: &mut Problems,
        step: &mut Written<'t>,
        word: Word<'t>,
    ) -> Option<()> {
        match (word.text, step.verb) {
            ("in", Verb::Together) if self.next_is("order") => step.in_order = true,
            ("in", Verb::Together | Verb::Tap) => {
                step.own = Some(self.time(problems, &tunable::IN)?);
            }
            ("for", Verb::Hold | Verb::Quiet) => {
                step.own = Some(self.time(problems, &tunable::FOR)?);
            }
            ("after", _) => step.after = Some(self.time(problems, &tunable::AFTER)?),
            ("within", _) => step.within = Some(self.time(problems, &tunable::WITHIN)?),
            ("buffered", _) => step.buffered = Some(self.time(problems, &tunable::BUFFERED)?),
            ("unless", _) => {
                step.unless.push(self.name(problems)?);
                while self.next_is("or") {
                    step.unless.push(self.name(problems)?);
                }
            }
            _ => {
                let own = match step.verb {
                    Verb::Hold | Verb::Quiet => "for, ",
                    Verb::Tap | Verb::Together => "in, ",
                    _ => "",
                };
                let expected = format!("a comma, or {own}{}", CLAUSES.join(", "));
                problems.add_word(&word, CLAUSES, &expected);
                return None;
            }
        }
        Some(())
    }

    fn time(&mut self, problems: &mut Problems, of: &tunable::Tunable) -> Option<TimeSpan> {
        let Some(number) = self.next() else {
            let expected = "a time, such as \"250 ms\" or \"3 ticks\"";
            problems.add(self.end.clone(), "the end of the step".to_owned(), expected);
            return None;
        };
        let unit = self.next();
        time(problems, &number, unit.as_ref(), of)
    }
}

/// A time of a number and its unit.
pub(super) fn time(
    problems: &mut Problems,
    number: &Word,
    unit: Option<&Word>,
    of: &tunable::Tunable,
) -> Option<TimeSpan> {
    let (min, max) = (of.min, of.max);
    let expected = format!("a time from {min} to {max} ms, such as \"250 ms\" or \"3 ticks\"");
    let Some(amount) = number.text.parse::<f64>().ok().filter(|n| n.is_finite()) else {
        problems.add_word(number, [], &expected);
        return None;
    };
    let Some(unit) = unit else {
        let expected = "a unit after the number: ms, s or ticks";
        problems.add_word(number, [], expected);
        return None;
    };
    let ms = match unit.text {
        "ms" => amount,
        "s" => amount * 1000.0,
        "tick" | "ticks" => {
            let is_whole = amount.fract() == 0.0 && (min.min(1.0)..=10_000.0).contains(&amount);
            if !is_whole {
                problems.add_word(number, [], "a whole number of ticks, from 1 to 10000");
                return None;
            }
            return Some(TimeSpan::Ticks(amount as u32));
        }
        _ => {
            problems.add_word(unit, ["ms", "s", "ticks"], "a unit: ms, s or ticks");
            return None;
        }
    };
    if !of.allows(ms) {
        problems.add_word(number, [], &expected);
        return None;
    }
    Some(TimeSpan::Time((ms * 1e6).round() as u64))
}
