//! The first line: who sends, and by which clock.

use super::{LiveFault, VERSION};
use crate::take::{HeaderLine, Text};
use gtrig_core::{ControlInfo, Nanos};
use serde::Deserialize;

/// Lines may be written at most so long after what they tell.
pub const MAX_DELAY: Nanos = Nanos::from_millis(1_000);

/// Of which clock the times in the lines are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PeerClock {
    /// The monotonic clock of the machine with this boot identifier.
    Monotonic(u128),
    /// One of its own, in nanoseconds.
    Own,
}

/// What a sender says of itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Greeting {
    /// Its name, by which it is known when it comes again.
    pub name: String,
    /// Of which clock its times are.
    pub clock: PeerClock,
    /// Its lines are written at most so long after what they tell.
    pub delay: Nanos,
    /// Whether it answers questions about its clock.
    pub answers: bool,
    /// What it was told to say.
    pub token: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct GreetingLine<'a> {
    live: u32,
    #[serde(borrow)]
    name: Text<'a>,
    #[serde(borrow, default)]
    clock: Option<Text<'a>>,
    #[serde(borrow, default)]
    boot: Option<Text<'a>>,
    #[serde(default)]
    delay: u64,
    #[serde(default)]
    answers: bool,
    #[serde(borrow, default)]
    token: Option<Text<'a>>,
}

impl Greeting {
    /// Reads the first line, or the first line of a take, which is a sender by this name.
    ///
    /// # Errors
    /// When it is neither.
    pub fn read(line: &[u8], name_of_take: &str) -> Result<Greeting, LiveFault> {
        let said = match serde_json::from_slice::<GreetingLine>(line) {
            Ok(said) => said,
            Err(error) => {
                let take = serde_json::from_slice::<HeaderLine>(line);
                let is_take = take.is_ok_and(|take| take.take == crate::take::VERSION);
                return match is_take {
                    true => Ok(Greeting::of_take(name_of_take)),
                    false => Err(LiveFault::NoGreeting(error)),
                };
            }
        };
        if said.live != VERSION {
            return Err(LiveFault::OtherVersion(said.live));
        }
        let name = said.name.0.into_owned();
        if !ControlInfo::is_code(&name) {
            return Err(LiveFault::BadName(name));
        }
        let clock = match said.clock.as_ref().map(|clock| &*clock.0) {
            None | Some("own") => PeerClock::Own,
            Some("monotonic") => {
                let boot = said.boot.map_or(String::new(), |boot| boot.0.replace('-', ""));
                let boot = u128::from_str_radix(boot.trim(), 16);
                PeerClock::Monotonic(boot.map_err(|_| LiveFault::NoBoot)?)
            }
            Some(other) => return Err(LiveFault::UnknownClock(other.to_owned())),
        };
        if said.delay > MAX_DELAY.0 {
            return Err(LiveFault::LongDelay(said.delay));
        }
        let token = said.token.map(|token| token.0.into_owned());
        Ok(Greeting { name, clock, delay: Nanos(said.delay), answers: said.answers, token })
    }

    fn of_take(name: &str) -> Greeting {
        let (clock, delay) = (PeerClock::Own, Nanos(0));
        Greeting { name: name.to_owned(), clock, delay, answers: false, token: None }
    }
}
