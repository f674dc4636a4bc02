//! What the tune bench says of the numbers of the rig.

use super::App;
use gtrig_analysis::compare::{Difference, DifferenceKind};
use gtrig_core::{ActionId, BoundInput, GestureId, Keyword, Knob, Place, Rig, Selector};

impl App {
    /// The numbers whose place or meaning has every word of the filter.
    pub(in crate::screen) fn filtered_numbers(&self, rig: &Rig) -> Vec<Knob> {
        let words = self.tuning.filter.to_lowercase();
        let mut knobs = rig.knobs();
        knobs.retain(|knob| {
            let text = format!("{} {}", knob.place, knob.tunable.meaning).to_lowercase();
            words.split_whitespace().all(|word| text.contains(word))
        });
        knobs
    }

    /// Whether a number is another than in the rig's file.
    pub(crate) fn is_nudged(&self, knob: &Knob) -> bool {
        self.original(knob).is_some_and(|was| was != knob.value)
    }

    /// What reads a number: actions with the controls of theirs that it is about.
    pub(crate) fn use_in_words(&self, place: &Place) -> String {
        let rig = self.session().rig();
        let [Selector::Key(table), Selector::Key(entry), rest @ ..] = place.0.as_slice() else {
            return "It is about the whole rig.".to_owned();
        };
        match table.as_str() {
            "action" => named(&rig.actions, entry, |action| &action.name)
                .map(|at| self.inputs_in_words(ActionId(at as u16), rest)),
            "gesture" => named(&rig.gestures, entry, |gesture| &gesture.name)
                .map(|at| self.driven_in_words(|input| drives_gesture(input, at))),
            "combo" => named(&rig.combos, entry, |combo| &combo.name).map(|at| {
                self.driven_in_words(
                    |input| matches!(input, BoundInput::Combo(id) if id.index() == at),
                )
            }),
            "zone" => named(&rig.zones, entry, |zone| &zone.name).map(|at| {
                let is_in = |gesture: GestureId| {
                    rig.gestures[gesture.index()].zone.is_some_and(|zone| zone.index() == at)
                };
                self.driven_in_words(|input| match input {
                    BoundInput::Zone { zone, .. } | BoundInput::Place { zone, .. } => {
                        zone.index() == at
                    }
                    BoundInput::Gesture { gesture, .. } => is_in(*gesture),
                    _ => false,
                })
            }),
            _ => None,
        }
        .unwrap_or_else(|| format!("It is about {table} {entry}."))
    }

    /// The controls that an input of an action reads, or those of all its inputs.
    fn inputs_in_words(&self, action: ActionId, rest: &[Selector]) -> String {
        let session = self.session();
        let plan = session.plan();
        let spec = match rest {
            [Selector::Key(from), Selector::At(at), ..] if from == "from" => Some(*at),
            _ => None,
        };
        let inputs = plan.inputs(action).iter().enumerate();
        let of_spec =
            inputs.filter(|(nth, _)| spec.is_none_or(|spec| plan.spec_of(action, *nth) == spec));
        let controls = of_spec.flat_map(|(_, input)| plan.controls_of(*input));
        let mut labels: Vec<String> =
            controls.map(|control| session.roster().label(control).to_string()).collect();
        labels.dedup();
        let name = &session.rig().actions[action.index()].name;
        match labels.as_slice() {
            [] => format!("It is read for {name}, but nothing that is connected feeds it."),
            labels => format!("It is read for {name}, of {}.", labels.join(", ")),
        }
    }

    /// The actions that have such an input.
    fn driven_in_words(&self, is_it: impl Fn(&BoundInput) -> bool) -> String {
        let session = self.session();
        let has_it = |&action: &ActionId| session.plan().inputs(action).iter().any(&is_it);
        let name = |action: ActionId| session.rig().actions[action.index()].name.as_str();
        let names: Vec<&str> = self.actions().filter(has_it).map(name).collect();
        match names.as_slice() {
            [] => "No action reads what comes of it.".to_owned(),
            names => format!("What comes of it is read for {}.", names.join(", ")),
        }
    }

    /// What the nudges changed, action by action; `None` where nothing was nudged.
    pub(crate) fn changed_in_words(&self) -> Option<String> {
        self.tuning.before.as_ref()?;
        let rig = self.session().rig();
        let of_action = |action: ActionId| {
            let count = |kind| {
                let same = |of: &&Difference| of.action == action && of.kind == kind;
                self.tuning.differences.iter().filter(same).count()
            };
            let counts = DifferenceKind::ALL.iter().map(|&kind| (count(kind), kind.word()));
            let words: Vec<String> =
                counts.filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}")).collect();
            let name = &rig.actions[action.index()].name;
            (!words.is_empty()).then(|| format!("{name}: {}", words.join(", ")))
        };
        let changed: Vec<String> = self.actions().filter_map(of_action).collect();
        Some(match changed.as_slice() {
            [] => "The nudges changed nothing that comes out.".to_owned(),
            changed => format!("The nudges changed {}.", changed.join("; ")),
        })
    }
}

/// The place of an entry of this name.
fn named<T>(entries: &[T], name: &str, name_of: impl Fn(&T) -> &String) -> Option<usize> {
    entries.iter().position(|entry| name_of(entry) == name)
}

fn drives_gesture(input: &BoundInput, at: usize) -> bool {
    matches!(input, BoundInput::Gesture { gesture, .. } if gesture.index() == at)
}
