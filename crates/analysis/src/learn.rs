//! Learning what the controls of a device are: a person is asked to move one after the
//! other, and what moves is what was asked for.
//!
//! A [`Learner`] hears what a device reports. It first takes in how the device is when
//! nobody touches it, so that what moves by itself (a counter, a gyroscope) is left
//! out. Each [`Ask`] is then answered by the control that moves furthest away from its
//! rest, once that is let go of again; a control that stays where it was put (a
//! throttle, a switch) answers when the person says that it is there. No clock is
//! needed. What comes of it is a [`DeviceMap`].

mod readings;

pub use readings::readings;

use alloc::{
    borrow::ToOwned,
    string::{String, ToString},
    vec,
    vec::Vec,
};
use gtrig_core::{
    ControlInfo, ControlKind, DeviceInfo, DeviceKind, DeviceMap, DeviceMatch, HardwareIds, Levels,
    MappedControl, MappedFrom, RAW, vocabulary,
};

/// What is to be done with a control that is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Motion {
    /// Press it.
    Press,
    /// Move it all the way from its rest to its end.
    Squeeze,
    /// Move it all the way to where it is +1: to the right, or down.
    Push,
}

/// A control that is asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ask {
    /// What it is to be called.
    pub code: String,
    /// What is to be done with it.
    pub motion: Motion,
}

impl Ask {
    /// What is asked for a kind of device that has standard names; nothing for the
    /// others.
    pub fn all_of(kind: DeviceKind) -> Vec<Ask> {
        let motion = |code: &str| match code {
            "trigger-l" | "trigger-r" | "travel" => Motion::Squeeze,
            _ if code.ends_with("-x") || code.ends_with("-y") => Motion::Push,
            _ => Motion::Press,
        };
        match kind {
            DeviceKind::Pad | DeviceKind::Lever => vocabulary::names(kind)
                .iter()
                .map(|code| Ask { code: (*code).to_owned(), motion: motion(code) })
                .collect(),
            _ => Vec::new(),
        }
    }
}

/// What a report meant for what is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Learned {
    /// Nothing yet.
    Nothing,
    /// The ask at this place was answered by the control of this name.
    Answered(usize, String),
    /// The control that moved is what was asked for before, at this place.
    Taken(usize, String),
    /// Only a button moved, where something that moves by degrees is asked for.
    OnlyButton(String),
}

/// Takes in what a device reports, and asks.
#[derive(Clone, Debug)]
pub struct Learner {
    device: DeviceInfo,
    asks: Vec<Ask>,
    answers: Vec<Option<MappedFrom>>,
    /// `None` while it takes in how the device is at rest.
    at: Option<usize>,
    controls: Vec<Heard>,
}

/// What was heard of a control.
#[derive(Clone, Copy, Debug)]
struct Heard {
    now: i32,
    /// What it was when nobody touched it.
    rest: i32,
    /// Least and most since then, or since the ask began.
    least: i32,
    most: i32,
    /// Whether it ever said anything: until then it is thought to be where its device
    /// says that it rests.
    is_known: bool,
    /// It moves by itself.
    is_restless: bool,
    /// It was left where it is when the ask began, and did not come back since.
    is_away: bool,
}

impl Heard {
    const fn new(value: i32) -> Self {
        Heard {
            now: value,
            rest: value,
            least: value,
            most: value,
            is_known: false,
            is_restless: false,
            is_away: false,
        }
    }

    /// Whether it says anything about what is asked.
    const fn counts(&self) -> bool {
        !self.is_restless && !self.is_away
    }

    fn hear(&mut self, value: i32) {
        self.now = value;
        self.least = self.least.min(value);
        self.most = self.most.max(value);
    }

    /// The value furthest from its rest.
    fn furthest(&self) -> i32 {
        let distance = |value: i32| i64::from(value).abs_diff(i64::from(self.rest));
        if distance(self.least) > distance(self.most) { self.least } else { self.most }
    }
}

/// From this share of its way on a control moves because somebody moves it.
const MOVED: f64 = 0.5;
/// Within this share of its way of where it rests it was let go of.
const LET_GO: f64 = 0.2;
/// What goes further than this share of its way while nobody touches it is restless.
const RESTLESS: f64 = 0.1;
/// Where somebody says that the end is reached, so little of its way is a move.
const SAID: f64 = 0.02;
/// So near to an end of its range, or its centre, as a share of its way, a control
/// means that end.
const NEAR_END: f64 = 0.12;

impl Learner {
    /// Begins with a device that nobody touches.
    pub fn new(device: DeviceInfo, asks: Vec<Ask>) -> Self {
        let controls = device.controls.iter().map(|info| Heard::new(info.kind.rest())).collect();
        let answers = vec![None; asks.len()];
        Learner { device, asks, answers, at: None, controls }
    }

    /// The device, as it says itself.
    pub const fn device(&self) -> &DeviceInfo {
        &self.device
    }

    /// All that is asked for.
    pub fn asks(&self) -> &[Ask] {
        &self.asks
    }

    /// What each was answered with.
    pub fn answers(&self) -> &[Option<MappedFrom>] {
        &self.answers
    }

    /// Whether it still takes in how the device is at rest.
    pub const fn is_at_rest(&self) -> bool {
        self.at.is_none()
    }

    /// The place of what is asked now; `None` at rest and at the end.
    pub fn asked(&self) -> Option<usize> {
        self.at.filter(|&at| at < self.asks.len())
    }

    /// Whether all was asked.
    pub fn is_over(&self) -> bool {
        self.at.is_some_and(|at| at >= self.asks.len())
    }

    /// The control that moves now, and how far of its way: -1 to +1.
    pub fn moving(&self) -> Option<(&ControlInfo, f64)> {
        let moved = |at: usize| {
            let heard = &self.controls[at];
            (i64::from(heard.now) - i64::from(heard.rest)) as f64 / self.way(at)
        };
        let (at, share) = (0..self.controls.len())
            .filter(|&at| self.controls[at].counts())
            .map(|at| (at, moved(at)))
            .max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))?;
        (share.abs() >= SAID).then(|| (&self.device.controls[at], share.clamp(-1.0, 1.0)))
    }

    /// The device reported a value of the control at a place.
    pub fn hear(&mut self, control: usize, value: i32) -> Learned {
        if self.is_relative(control) {
            return Learned::Nothing;
        }
        let is_at_rest = self.is_at_rest();
        let Some(heard) = self.controls.get_mut(control) else { return Learned::Nothing };
        if !core::mem::replace(&mut heard.is_known, true) && is_at_rest {
            (heard.least, heard.most) = (value, value);
        }
        heard.hear(value);
        if heard.is_away && self.share(control, value) <= LET_GO {
            self.controls[control].is_away = false;
            self.begin_again(control);
        }
        match self.asked() {
            Some(at) if self.is_let_go() => self.judge(at, MOVED),
            _ => Learned::Nothing,
        }
    }

    /// The person says that it is so: the device is at rest, or what was asked for is
    /// where it should be, though it does not come back by itself.
    pub fn accept(&mut self) -> Learned {
        let Some(at) = self.at else {
            self.begin();
            return Learned::Nothing;
        };
        if self.is_over() { Learned::Nothing } else { self.judge(at, SAID) }
    }

    /// The device has no such thing: the next is asked for.
    pub fn skip(&mut self) {
        if let Some(at) = self.asked() {
            self.answers[at] = None;
            self.ask(at + 1);
        }
    }

    /// The one before is asked for once more.
    pub fn back(&mut self) {
        if let Some(at) = self.at.and_then(|at| at.checked_sub(1)) {
            self.answers[at] = None;
            self.ask(at);
        }
    }

    /// What came of it; `None` of a device that has no numbers to be known by.
    /// Controls that were not asked for stay as they are; those that are restless are
    /// left out.
    pub fn map(&self, kind: DeviceKind) -> Option<DeviceMap> {
        let ids = HardwareIds::of(&self.device.identity)?;
        let answered = self.asks.iter().zip(&self.answers);
        let controls: Vec<MappedControl> = answered
            .filter_map(|(ask, from)| {
                Some(MappedControl { code: ask.code.clone(), from: from.clone()? })
            })
            .collect();
        let restless = self.controls.iter().zip(&self.device.controls);
        let left_out = restless
            .filter(|(heard, info)| {
                heard.is_restless && controls.iter().all(|c| c.from.parts().all(|p| p != info.code))
            })
            .map(|(_, info)| info.code.clone())
            .collect();
        let device = DeviceMatch {
            vendor: ids.vendor,
            product: ids.product,
            version: Some(ids.version),
            // Many have no numbers of their own.
            name: (ids.vendor == 0).then(|| self.device.name.to_string()),
            is_raw: self.device.identity.starts_with(RAW),
        };
        Some(DeviceMap { device, name: None, kind: Some(kind), controls, left_out })
    }

    fn is_relative(&self, control: usize) -> bool {
        let info = self.device.controls.get(control);
        info.is_none_or(|info| info.kind == ControlKind::Relative)
    }

    /// The rest is known: the first is asked for.
    fn begin(&mut self) {
        for at in 0..self.controls.len() {
            let longest = self.way(at);
            let is_button = self.device.controls[at].kind.is_button();
            let heard = &mut self.controls[at];
            let moved = (i64::from(heard.most) - i64::from(heard.least)) as f64;
            heard.is_restless = !is_button && moved > RESTLESS * longest;
            heard.rest = heard.now;
        }
        self.ask(0);
    }

    fn ask(&mut self, at: usize) {
        self.at = Some(at);
        for control in 0..self.controls.len() {
            self.controls[control].is_away =
                self.share(control, self.controls[control].now) > LET_GO;
            self.begin_again(control);
        }
    }

    fn begin_again(&mut self, control: usize) {
        let heard = &mut self.controls[control];
        (heard.least, heard.most) = (heard.now, heard.now);
    }

    /// How far it can go from its rest: of a stick half of its range.
    fn way(&self, at: usize) -> f64 {
        let rest = f64::from(self.controls[at].rest);
        let (low, high) = self.device.controls[at].kind.range().unwrap_or((0, 1));
        (rest - f64::from(low)).max(f64::from(high) - rest).max(1.0)
    }

    fn share(&self, at: usize, value: i32) -> f64 {
        (f64::from(value) - f64::from(self.controls[at].rest)).abs() / self.way(at)
    }

    /// Whether all is back where it rests.
    fn is_let_go(&self) -> bool {
        let controls = self.controls.iter().zip(0..);
        controls
            .filter(|(heard, _)| heard.counts())
            .all(|(heard, at)| self.share(at, heard.now) <= LET_GO)
    }

    /// Which control went furthest: of buttons, and of those that move by degrees.
    fn furthest(&self, least: f64) -> [Option<usize>; 2] {
        [true, false].map(|wants_button| {
            let moved = |at: usize| self.share(at, self.controls[at].furthest());
            (0..self.controls.len())
                .filter(|&at| self.device.controls[at].kind.is_button() == wants_button)
                .filter(|&at| self.controls[at].counts() && moved(at) >= least)
                .max_by(|&a, &b| moved(a).total_cmp(&moved(b)).then(b.cmp(&a)))
        })
    }

    /// Takes what moved at least so far as the answer.
    fn judge(&mut self, at: usize, least: f64) -> Learned {
        let [button, analogue] = self.furthest(least);
        let motion = self.asks[at].motion;
        let (control, from) = match (motion, button, analogue) {
            (_, None, None) => return Learned::Nothing,
            (Motion::Press, Some(button), _) => (button, self.as_it_is(button)),
            (Motion::Press, None, Some(analogue)) => (analogue, self.level(analogue)),
            (Motion::Squeeze, _, Some(analogue)) => (analogue, self.trigger(analogue)),
            // Some triggers are buttons.
            (Motion::Squeeze, Some(button), None) => (button, self.as_it_is(button)),
            (Motion::Push, _, Some(analogue)) => (analogue, self.axis(analogue)),
            (Motion::Push, Some(button), None) => {
                let code = self.device.controls[button].code.clone();
                self.ask(at);
                return Learned::OnlyButton(code);
            }
        };
        let code = self.device.controls[control].code.clone();
        if let Some(other) = self.taken_by(at, &from) {
            self.ask(at);
            return Learned::Taken(other, code);
        }
        self.answers[at] = Some(from);
        self.ask(at + 1);
        Learned::Answered(at, code)
    }

    /// The other ask that has the same control, and the same side of it.
    fn taken_by(&self, at: usize, from: &MappedFrom) -> Option<usize> {
        let is_same = |other: &MappedFrom| {
            let is_part = other.parts().any(|part| from.parts().any(|own| own == part));
            is_part && side(other).zip(side(from)).is_none_or(|(a, b)| a == b)
        };
        let others = self.answers.iter().zip(0..).filter(|(_, place)| *place != at);
        others
            .filter_map(|(answer, place)| Some((answer.as_ref()?, place)))
            .find(|(answer, _)| is_same(answer))
            .map(|(_, place)| place)
    }

    fn as_it_is(&self, control: usize) -> MappedFrom {
        MappedFrom::Control { code: self.device.controls[control].code.clone(), kind: None }
    }

    /// Down beyond half of its way.
    fn level(&self, control: usize) -> MappedFrom {
        let heard = &self.controls[control];
        let end = heard.furthest();
        let middle = i64::midpoint(i64::from(heard.rest), i64::from(end)) as i32;
        let down = if end > heard.rest { Levels::AtLeast(middle) } else { Levels::AtMost(middle) };
        MappedFrom::Level { code: self.device.controls[control].code.clone(), down }
    }

    /// From its rest to where it went.
    fn trigger(&self, control: usize) -> MappedFrom {
        let info = &self.device.controls[control];
        let min = self.stated(control, self.controls[control].rest);
        let max = self.stated(control, self.controls[control].furthest());
        let kind = ControlKind::Trigger { min, max };
        let kind = (info.kind != kind).then_some(kind);
        MappedFrom::Control { code: info.code.clone(), kind }
    }

    /// Both ways from its rest, +1 where it went. Where it did not go half of its way
    /// the device states another range than it has, and its own is taken.
    fn axis(&self, control: usize) -> MappedFrom {
        let info = &self.device.controls[control];
        let heard = &self.controls[control];
        let (low, high) = info.kind.range().unwrap_or_default();
        let end = heard.furthest();
        let is_up = end > heard.rest;
        let is_true = self.share(control, end) >= MOVED;
        let (near, far) = match (is_true, is_up) {
            (true, true) => (low, high),
            (true, false) => (high, low),
            (false, _) => {
                let mirrored = 2 * i64::from(heard.rest) - i64::from(end);
                (mirrored.clamp(i64::from(i32::MIN), i64::from(i32::MAX)) as i32, end)
            }
        };
        let centre = self.stated(control, heard.rest).clamp(near.min(far), near.max(far));
        let kind = ControlKind::Axis { min: near, centre, max: far };
        let kind = (info.kind != kind).then_some(kind);
        MappedFrom::Control { code: info.code.clone(), kind }
    }

    /// The end or the centre of the stated range that a value is so near to that it is
    /// meant.
    fn stated(&self, control: usize, value: i32) -> i32 {
        let kind = self.device.controls[control].kind;
        let (low, high) = kind.range().unwrap_or((value, value));
        let near = |known: &i32| {
            (f64::from(*known) - f64::from(value)).abs() <= NEAR_END * self.way(control)
        };
        let middle = i64::midpoint(i64::from(low), i64::from(high) + 1) as i32;
        let middle = if let ControlKind::Axis { centre, .. } = kind { centre } else { middle };
        [low, high, middle].into_iter().find(near).unwrap_or(value)
    }
}

/// Which way an answer goes, of one that has only one side of a control.
fn side(from: &MappedFrom) -> Option<bool> {
    match from {
        MappedFrom::Control { kind: Some(ControlKind::Trigger { min, max }), .. } => {
            Some(min < max)
        }
        MappedFrom::Level { down: Levels::AtLeast(_), .. } => Some(true),
        MappedFrom::Level { down: Levels::AtMost(_), .. } => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests;
