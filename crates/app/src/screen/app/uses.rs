//! What the tune bench says of the numbers of the rig.

use super::App;
use gtrig_analysis::compare::{Difference, DifferenceKind};
use gtrig_core::{ActionId, Keyword, Knob, Nearness, Place, Rig, Selector};

/// So many actions are named at most in a sentence.
const MOST_NAMES: usize = 6;

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

    /// What reads a number: the actions on which it bears, and of one that stands in an action the
    /// controls that it is about.
    pub(crate) fn use_in_words(&self, place: &Place) -> String {
        let rig = self.session().rig();
        let [Selector::Key(table), Selector::Key(entry), rest @ ..] = place.0.as_slice() else {
            return "It is about edges, before any action reads them.".to_owned();
        };
        let (read, beyond) = self.actions_with(place);
        if table == "action"
            && let Some(at) = rig.actions.iter().position(|action| action.name == *entry)
        {
            let own = self.inputs_in_words(ActionId::at(at), rest);
            return match self.names_in_words(&beyond) {
                Some(names) => format!("{own} It also bears on {names}."),
                None => own,
            };
        }
        match [&read, &beyond].map(|actions| self.names_in_words(actions)) {
            [Some(read), Some(beyond)] => {
                format!("What comes of it is read for {read}. It also bears on {beyond}.")
            }
            [Some(read), None] => format!("What comes of it is read for {read}."),
            [None, Some(beyond)] => format!("No action reads it itself. It bears on {beyond}."),
            [None, None] if table == "yard" => format!("It is about {table} {entry}."),
            [None, None] if table == "sampling" => "It is about the whole rig.".to_owned(),
            [None, None] => "No action reads it.".to_owned(),
        }
    }

    /// The actions that read a number, and those on which it bears by way of something else.
    fn actions_with(&self, place: &Place) -> (Vec<ActionId>, Vec<ActionId>) {
        let rig = self.session().rig();
        let (mut read, mut beyond) = (Vec::new(), Vec::new());
        for action in self.actions() {
            let parts = rig.parts_of(action);
            match parts.into_iter().find(|(part, _)| part.has(rig, place)) {
                Some((_, Nearness::Read)) => read.push(action),
                Some((_, Nearness::Beyond)) => beyond.push(action),
                None => {}
            }
        }
        (read, beyond)
    }

    /// The names of actions, of many the first ones; nothing of none.
    fn names_in_words(&self, actions: &[ActionId]) -> Option<String> {
        let rig = self.session().rig();
        let names = actions.iter().map(|action| rig.actions[action.index()].name.as_str());
        let named: Vec<&str> = names.take(MOST_NAMES).collect();
        let left = actions.len() - named.len();
        let list = named.join(", ");
        match left {
            0 if named.is_empty() => None,
            0 => Some(list),
            1 => Some(format!("{list} and one more")),
            _ => Some(format!("{list} and {left} more")),
        }
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
