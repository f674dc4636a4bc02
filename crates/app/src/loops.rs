//! The loops that an audit tries, as a person writes them.

use gtrig_analysis::audit::{Hitches, Loop};
use gtrig_core::{Nanos, PollRate};
use std::{fmt, str::FromStr};

/// Several poll rates, and what all those loops have in common. Written as
/// `30 60 120 jitter=10 hitch=500:40 step=50`.
#[derive(Clone, Debug, PartialEq)]
pub struct AuditBy {
    /// The poll rates.
    pub rates: Vec<PollRate>,
    /// How far polls stray, in percent of the period to either side: 0 to 50.
    pub jitter: u8,
    /// Stalls, if there are any.
    pub hitches: Option<Hitches>,
    /// The fixed step that the loops feed, if they are frames.
    pub step: Option<PollRate>,
}

/// The rates that are tried where nobody says which.
pub const USUAL_RATES: &str = "20,30,60,120,240,1000";

impl Default for AuditBy {
    fn default() -> Self {
        let rates = USUAL_RATES.split(',').filter_map(|hz| PollRate::from_hz(hz.parse().ok()?));
        AuditBy { rates: rates.collect(), jitter: 0, hitches: None, step: None }
    }
}

/// A poll rate.
///
/// # Errors
/// When it is outside of what a rig may say.
pub fn rate(hz: f64) -> Result<PollRate, LoopsError> {
    PollRate::from_hz(hz).ok_or(LoopsError::RateOutside(hz))
}

impl AuditBy {
    /// A loop for each rate.
    pub fn loops(&self) -> Vec<Loop> {
        let jitter = f64::from(self.jitter) / 100.0;
        let of = |&rate| Loop { rate, jitter, hitches: self.hitches, step: self.step };
        self.rates.iter().map(of).collect()
    }
}

/// Why a text names no loops. What was written stands in it escaped.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LoopsError {
    /// The name of the setting is unknown.
    #[error("{} is none of jitter=, hitch= and step=", .0.escape_debug())]
    UnknownSetting(String),
    /// No loop would run.
    #[error("name at least one poll rate, such as 60")]
    NoRate,
    /// A word in the place of a rate.
    #[error("{} is no poll rate", .0.escape_debug())]
    NoNumber(String),
    /// A rate that no loop can have.
    #[error("{0} Hz is no poll rate; choose 10 to 1000")]
    RateOutside(f64),
    /// A jitter outside of its range, or no number.
    #[error("{} is no jitter: 0 to 50 percent", .0.escape_debug())]
    Jitter(String),
    /// Stalls that are written otherwise.
    #[error("two numbers of milliseconds from 1 to 60000, the second smaller, such as 500:40")]
    Hitches,
}

impl FromStr for AuditBy {
    type Err = LoopsError;

    fn from_str(text: &str) -> Result<Self, LoopsError> {
        let mut by = AuditBy { rates: Vec::new(), ..AuditBy::default() };
        for word in text.split_whitespace() {
            match word.split_once('=') {
                None => by.rates.push(written_rate(word)?),
                Some(("jitter", percent)) => by.jitter = jitter(percent)?,
                Some(("hitch", text)) => by.hitches = Some(hitches(text)?),
                Some(("step", hz)) => by.step = Some(written_rate(hz)?),
                Some(_) => return Err(LoopsError::UnknownSetting(word.to_owned())),
            }
        }
        if by.rates.is_empty() {
            return Err(LoopsError::NoRate);
        }
        Ok(by)
    }
}

impl fmt::Display for AuditBy {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let rates: Vec<String> = self.rates.iter().map(|rate| rate.hz().to_string()).collect();
        f.write_str(&rates.join(" "))?;
        if self.jitter > 0 {
            write!(f, " jitter={}", self.jitter)?;
        }
        if let Some(Hitches { every, lasts }) = self.hitches {
            write!(f, " hitch={}:{}", every.0 / 1_000_000, lasts.0 / 1_000_000)?;
        }
        match self.step {
            Some(step) => write!(f, " step={}", step.hz()),
            None => Ok(()),
        }
    }
}

fn written_rate(hz: &str) -> Result<PollRate, LoopsError> {
    rate(hz.parse().map_err(|_| LoopsError::NoNumber(hz.to_owned()))?)
}

fn jitter(percent: &str) -> Result<u8, LoopsError> {
    let number = percent.parse().ok().filter(|percent| *percent <= 50);
    number.ok_or_else(|| LoopsError::Jitter(percent.to_owned()))
}

/// Reads `EVERY:LASTS`, in milliseconds.
///
/// # Errors
/// When it is not that.
pub fn hitches(text: &str) -> Result<Hitches, LoopsError> {
    let parse = |ms: &str| ms.parse().ok().filter(|ms| (1..=60_000).contains(ms));
    let numbers =
        text.split_once(':').and_then(|(every, lasts)| Some((parse(every)?, parse(lasts)?)));
    match numbers {
        Some((every, lasts)) if lasts < every => {
            Ok(Hitches { every: Nanos::from_millis(every), lasts: Nanos::from_millis(lasts) })
        }
        _ => Err(LoopsError::Hitches),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::rates("30 59.94")]
    #[case::all("60 jitter=10 hitch=500:40 step=50")]
    fn what_is_written_is_read_again(#[case] text: &str) {
        assert_eq!(text.parse::<AuditBy>().unwrap().to_string(), text);
    }

    #[rstest]
    #[case::none("", "at least one poll rate")]
    #[case::fast("5000", "5000 Hz is no poll rate")]
    #[case::word("sixty", "sixty is no poll rate")]
    #[case::jitter("60 jitter=51", "0 to 50 percent")]
    #[case::hitch("60 hitch=40:500", "the second smaller")]
    #[case::other("60 speed=3", "none of jitter=")]
    fn mistakes_are_said(#[case] text: &str, #[case] why: &str) {
        let said = text.parse::<AuditBy>().unwrap_err().to_string();
        assert!(said.contains(why), "{said}");
    }
}
