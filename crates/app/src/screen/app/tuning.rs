//! Tuning in place: numbers of the rig are nudged, the whole history is run
//! again, and what came out differently is counted and can be jumped to.

use super::{App, Ladders, rigs::first_mistake};
use crate::{
    files::RigSource,
    screen::{
        bench::Bench,
        prompt::{Prompt, Purpose},
        view::Lane,
    },
};
use gtrig_analysis::{
    Session,
    compare::{ActionRecord, Difference, DifferenceKind, compare},
};
use gtrig_core::{
    ActionId, Axes, BoundInput, ControlId, Keyword, Knob, Nanos, Place, Rig, places_of,
};
use gtrig_formats::rig;
use std::{collections::BTreeMap, path::PathBuf};

/// A history of so many events is run again between two frames; a longer one
/// in a thread of its own.
const AT_ONCE: usize = 60_000;

/// So many nudges can be undone.
const MOST_UNDONE: usize = 200;

/// What tuning has changed so far.
#[derive(Debug, Default)]
pub(crate) struct Tuning {
    /// Which of the listed numbers is chosen.
    pub(crate) chosen: usize,
    /// The words that the numbers on the tune bench have.
    pub(crate) filter: String,
    pub(super) undo: Vec<Rig>,
    pub(super) redo: Vec<Rig>,
    /// The numbers of the rig as it was read.
    pub(super) original: Option<Originals>,
    /// What came out before the first nudge.
    pub(crate) before: Option<ActionRecord>,
    pub(crate) differences: Vec<Difference>,
    /// The rig that is wanted, until the history has been run by it.
    wanted: Option<Rig>,
    /// The one that a thread is running it by.
    tried: Option<Rig>,
    pub(crate) source: Option<RigSource>,
    /// The file that a thread looks at.
    pub(super) watched: Option<PathBuf>,
}

/// The numbers of a rig by their places, walked once.
#[derive(Debug)]
pub(super) struct Originals(BTreeMap<Place, f64>);

impl Originals {
    pub(super) fn of(rig: &Rig) -> Self {
        Originals(rig.knobs().into_iter().map(|knob| (knob.place, knob.value)).collect())
    }
}

impl Tuning {
    /// Nothing is tuned yet of a rig that comes from there.
    pub(super) fn of(source: RigSource) -> Tuning {
        Tuning { source: Some(source), ..Tuning::default() }
    }

    /// What stays when another take is opened: the rig, not what it made of the
    /// take before.
    pub(super) fn for_another_take(&mut self) -> Tuning {
        let Tuning { undo, redo, original, source, .. } = std::mem::take(self);
        Tuning { undo, redo, original, source, ..Tuning::default() }
    }
}

impl App {
    /// The analogue input that the stick bench is about: that of the chosen
    /// lane, or else the first there is. With its place among those of its action.
    pub(crate) fn subject(&self) -> Option<(ActionId, usize, BoundInput)> {
        let plan = self.session().plan();
        let shaped = |action: ActionId| {
            let inputs = plan.inputs(action).iter().copied().enumerate();
            inputs.filter(|(_, i)| plan.is_analogue(*i)).map(move |(n, i)| (action, n, i))
        };
        let all = || self.actions().flat_map(shaped);
        let found = match self.lane() {
            Some(Lane::Action(id, _)) => {
                let driver = self.machine().action(id).driver;
                let drives = |(_, _, input): &(ActionId, usize, BoundInput)| {
                    driver.is_some_and(|by| plan.controls_of(*input).contains(&by))
                };
                shaped(id).find(drives).or_else(|| shaped(id).next())
            }
            Some(Lane::Control(control)) => {
                all().find(|(_, _, input)| plan.controls_of(*input).contains(&control))
            }
            Some(Lane::Gesture(_) | Lane::Combo(_)) | None => None,
        };
        found.or_else(|| all().next())
    }

    /// The stick that is laid over the subject of the stick bench, if it is
    /// another one.
    pub(crate) fn laid_over(&self) -> Option<Axes> {
        let (_, _, subject) = self.subject()?;
        let own = self.session().plan().controls_of(subject);
        self.measuring.laid.filter(|axes| can_lie_over(*axes, &own))
    }

    /// Lays the next stick, axis or trigger over that subject; after the last,
    /// none.
    pub(super) fn lay_next(&mut self) {
        let Some((_, _, subject)) = self.subject() else { return };
        let own = self.session().plan().controls_of(subject);
        let roster = self.session().roster();
        let mut others: Vec<_> = roster.axes().filter(|axes| can_lie_over(*axes, &own)).collect();
        // First the same stick of the other devices.
        let is_other =
            |axes: &Axes| own.first().is_some_and(|own| roster.code(axes.x) != roster.code(*own));
        others.sort_by_key(is_other);
        let at = others.iter().position(|other| Some(*other) == self.measuring.laid);
        self.measuring.laid = others.get(at.map_or(0, |at| at + 1)).copied();
        self.show_bench(Bench::Stick);
        if others.is_empty() {
            self.tell("there is no other to lay over it".to_owned(), false);
        }
    }

    /// The numbers that can be nudged now: on a bench those that it is about,
    /// elsewhere all.
    pub(crate) fn knobs(&self) -> Vec<Knob> {
        let rig = self.wanted_rig();
        match self.bench.entry().numbers {
            Some(numbers) => numbers(self, rig),
            None => rig.knobs(),
        }
    }

    /// The numbers of the input that the stick bench is about; without one all.
    pub(in crate::screen) fn numbers_of_subject(&self, rig: &Rig) -> Vec<Knob> {
        let all = rig.knobs();
        let Some((action, nth, _)) = self.subject() else { return all };
        let places = places_of(rig, action, self.session().plan().spec_of(action, nth));
        all.into_iter().filter(|knob| places.contains(&knob.place)).collect()
    }

    /// The numbers of the chosen gesture, or of all gestures and zones.
    pub(in crate::screen) fn numbers_of_panel(&self, rig: &Rig) -> Vec<Knob> {
        let is_shown = |knob: &Knob| match self.view.chosen {
            Some(Lane::Gesture(id)) => {
                let gesture = rig.gestures.get(id.index());
                gesture.is_some_and(|gesture| knob.place.is_of("gesture", &gesture.name))
            }
            _ => knob.place.is_in("gesture") || knob.place.is_in("zone"),
        };
        rig.knobs().into_iter().filter(is_shown).collect()
    }

    /// The numbers of the combo that the ladder is of.
    pub(in crate::screen) fn numbers_of_combo(&self, rig: &Rig) -> Vec<Knob> {
        let combo = self.combo().and_then(|id| rig.combos.get(id.index()));
        let is_shown =
            |knob: &Knob| combo.is_some_and(|combo| knob.place.is_of("combo", &combo.name));
        rig.knobs().into_iter().filter(is_shown).collect()
    }

    /// The rig in force, or the one that soon will be.
    pub(super) fn wanted_rig(&self) -> &Rig {
        self.tuning.wanted.as_ref().unwrap_or(self.session().rig())
    }

    /// The chosen one of them.
    pub(crate) fn knob(&self) -> Option<Knob> {
        let mut knobs = self.knobs();
        let at = self.tuning.chosen.min(knobs.len().checked_sub(1)?);
        Some(knobs.swap_remove(at))
    }

    /// What a number was before any of it was tuned.
    pub(crate) fn original(&self, knob: &Knob) -> Option<f64> {
        self.tuning.original.as_ref()?.0.get(&knob.place).copied()
    }

    /// How many numbers are other than in the rig's file.
    pub(crate) fn unwritten(&self) -> usize {
        // Without a file nothing can be written.
        if self.tuning.original.is_none() || self.tuning.source.is_none() {
            return 0;
        }
        let knobs = self.wanted_rig().knobs();
        knobs.iter().filter(|knob| self.is_nudged(knob)).count()
    }

    pub(super) fn choose_knob(&mut self, by: i32) {
        let last = self.knobs().len().saturating_sub(1);
        self.tuning.chosen =
            self.tuning.chosen.min(last).saturating_add_signed(by as isize).min(last);
        if self.bench.entry().numbers.is_none() {
            self.bench = Bench::Tune;
        }
    }

    pub(super) fn nudge(&mut self, steps: i32) {
        let Some(knob) = self.knob() else {
            self.tell("this rig has no number here".to_owned(), false);
            return;
        };
        // On the grid of the step, so that there and back is where it was.
        let step = knob.tunable.step;
        let value = ((knob.value / step).round() + f64::from(steps)) * step;
        self.set_knob(&knob, (value * 1e6).round() / 1e6);
    }

    pub(super) fn ask_for_value(&mut self) {
        if let Some(knob) = self.knob() {
            self.prompt = Some(Prompt::replacing(Purpose::Value, &knob.value.to_string()));
        }
    }

    pub(super) fn type_value(&mut self, text: &str) {
        let Some(knob) = self.knob() else { return };
        match text.parse::<f64>().ok().filter(|value| knob.tunable.allows(*value)) {
            Some(value) => self.set_knob(&knob, value),
            None => {
                let gtrig_core::tunable::Tunable { name, min, max, unit, .. } = knob.tunable;
                self.tell(format!("{name} is a number from {min} to {max} ({unit})"), true);
            }
        }
    }

    pub(super) fn reset_knob(&mut self) {
        if let Some(knob) = self.knob()
            && let Some(value) = self.original(&knob)
        {
            self.set_knob(&knob, value);
        }
    }

    fn set_knob(&mut self, knob: &Knob, value: f64) {
        let next = self.wanted_rig().with(&knob.place, value);
        if let Some(next) = self.as_written(next) {
            self.tune(next);
        }
    }

    /// The rig that its file says once the numbers of `rig` are written there, if it is
    /// another than now: so a nudge does what is read back, also to a combo that does the
    /// one whose number it is. Says why the file cannot have them.
    pub(super) fn as_written(&mut self, rig: Rig) -> Option<Rig> {
        let read = match &self.tuning.source {
            None => Ok(rig),
            Some(source) => rig::update_numbers(&source.text, &rig)
                .and_then(|text| Ok(rig::parse("the rig", &text)?)),
        };
        match read {
            Ok(rig) => Some(rig).filter(|rig| rig != self.wanted_rig()),
            Err(error) => {
                self.tell(format!("the rig cannot have that: {}", first_mistake(&error)), true);
                None
            }
        }
    }

    /// Tunes to another rig, which can be undone.
    pub(super) fn tune(&mut self, rig: Rig) {
        self.tuning.redo.clear();
        self.turn_to(rig, |tuning| &mut tuning.undo);
    }

    pub(super) fn undo_nudge(&mut self) {
        match self.tuning.undo.pop() {
            None => self.tell("nothing to undo".to_owned(), false),
            Some(rig) => self.turn_to(rig, |tuning| &mut tuning.redo),
        }
    }

    pub(super) fn redo_nudge(&mut self) {
        match self.tuning.redo.pop() {
            None => self.tell("nothing to do again".to_owned(), false),
            Some(rig) => self.turn_to(rig, |tuning| &mut tuning.undo),
        }
    }

    /// Tunes to a rig, and keeps the present one where `pile` says.
    pub(super) fn turn_to(&mut self, rig: Rig, pile: impl Fn(&mut Tuning) -> &mut Vec<Rig>) {
        let now = self.wanted_rig().clone();
        let pile = pile(&mut self.tuning);
        if pile.len() == MOST_UNDONE {
            pile.remove(0);
        }
        pile.push(now);
        self.tune_to(rig);
    }

    /// What comes out now is what the next nudges are compared with.
    pub(super) fn take_as_before(&mut self) {
        self.tuning.before = None;
        self.tuning.differences.clear();
        self.tell("nudges are compared with what comes out now".to_owned(), false);
    }

    /// Has the history run by another rig.
    pub(super) fn tune_to(&mut self, rig: Rig) {
        if self.tuning.before.is_none() {
            self.tuning.before = Some(ActionRecord::of(self.session()));
        }
        if self.tuning.original.is_none() {
            self.tuning.original = Some(Originals::of(self.session().rig()));
        }
        self.tuning.wanted = Some(rig);
        self.try_wanted();
    }

    fn try_wanted(&mut self) {
        let Some(rig) = self.tuning.wanted.clone().filter(|_| self.tuning.tried.is_none()) else {
            return;
        };
        let from = self.session().seen_count();
        if self.session().history().event_count() <= AT_ONCE {
            let session = self.session().retuned(rig);
            self.adopt(session, from);
        } else {
            self.tuning.tried = Some(rig.clone());
            self.jobs.retune(self.session().recording(), rig, from);
        }
    }

    /// Whether the history is being run by another rig.
    pub(crate) fn is_retuning(&self) -> bool {
        self.tuning.tried.is_some()
    }

    /// A thread has run the history by the rig it was given.
    pub(super) fn retuned(&mut self, session: Session, from: u64) {
        let tried = self.tuning.tried.take();
        // Another nudge may have come meanwhile: then its rig is tried next.
        match tried == self.tuning.wanted {
            true => self.adopt(session, from),
            false => self.try_wanted(),
        }
    }

    /// Goes on with a session that has seen the same by another rig, up to
    /// event number `from`.
    fn adopt(&mut self, mut session: Session, from: u64) {
        self.tuning.wanted = None;
        session.follow(self.session(), from);
        session.take_waiting(self.session());
        let rate = self.session().plan().rate();
        let (playhead, first) = (rate.time_of(self.tick()), rate.time_of(self.view.stretch.first));
        let is_live = self.view.is_live();
        self.document.go_on_with(session);
        self.ladders = Ladders::default();
        self.read_log_again();
        self.follow_combos();
        let rate = self.session().plan().rate();
        self.view.stretch.first = rate.tick_at(first);
        if !is_live {
            self.freeze_at(rate.tick_at(playhead));
        }
        self.polling.found = None;
        self.gaming.forget();
        self.clear_yard();
        (self.bench.entry().shown)(self);
        let before = self.tuning.before.as_ref();
        let after = ActionRecord::of(self.session());
        self.tuning.differences = before.map_or(Vec::new(), |before| compare(before, &after));
    }

    /// `2 appeared, 1 changed`; empty when nothing comes out differently.
    pub(crate) fn differences_in_words(&self) -> String {
        let count = |kind| self.tuning.differences.iter().filter(|d| d.kind == kind).count();
        let counts = DifferenceKind::ALL.iter().map(|&kind| (count(kind), kind.word()));
        let words = counts.filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}"));
        words.collect::<Vec<_>>().join(", ")
    }

    pub(super) fn jump_to_difference(&mut self, way: i32) {
        let rate = self.session().plan().rate();
        let here = self.tick();
        let tick = |difference: &Difference| rate.tick_seeing(difference.from);
        let mut all = self.tuning.differences.iter().copied();
        let found = match way > 0 {
            true => all.find(|difference| tick(difference) > here),
            false => all.rfind(|difference| tick(difference) < here),
        };
        let Some(difference) = found else {
            self.tell("no further difference".to_owned(), false);
            return;
        };
        self.view.chosen = Some(Lane::Action(difference.action, 0));
        let name = &self.session().rig().actions[difference.action.index()].name;
        let Difference { kind, from, to, by, .. } = difference;
        let by = if by > 0.0 { format!(", by up to {by:.3}") } else { String::new() };
        let lasted = Nanos(to.0 - from.0);
        let text = format!("{name} {} at {from}, for {lasted}{by}", kind.word());
        let tick = rate.tick_seeing(from);
        self.go_to(tick);
        self.tell(text, false);
    }
}

/// Whether axes can be laid over others: a stick over a stick, a single axis over
/// another.
fn can_lie_over(axes: Axes, own: &[ControlId]) -> bool {
    axes.is_single() == (own.len() != 2) && !own.contains(&axes.x)
}
