//! What the tune bench says of the numbers of the rig.

use super::App;
use gtrig_analysis::compare::{Difference, DifferenceKind};
use gtrig_core::{ActionId, GestureId, InputSpec, Keyword, Knob, Place, Rig, Selector, SideSpec};

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
                .map(|at| self.driven_in_words(|input| is_gesture(input, at))),
            "combo" => named(&rig.combos, entry, |combo| &combo.name).map(|at| {
                self.driven_in_words(
                    |input| matches!(input, InputSpec::Combo(id) if id.index() == at),
                )
            }),
            "zone" => named(&rig.zones, entry, |zone| &zone.name).map(|at| {
                let is_in_it = |gesture: GestureId| {
                    rig.gestures[gesture.index()].zone.is_some_and(|zone| zone.index() == at)
                };
                self.driven_in_words(|input| reads_zone(input, at, is_in_it))
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

    /// The actions to which the rig gives such an input, connected or not.
    fn driven_in_words(&self, is_it: impl Fn(&InputSpec) -> bool) -> String {
        let actions = self.session().rig().actions.iter();
        let reading = actions.filter(|action| action.inputs.iter().any(&is_it));
        let names: Vec<&str> = reading.map(|action| action.name.as_str()).collect();
        match names.as_slice() {
            [] => "No action reads it itself.".to_owned(),
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

fn is_gesture(input: &InputSpec, at: usize) -> bool {
    matches!(input, InputSpec::Gesture { gesture, .. } if gesture.index() == at)
}

/// Whether an input reads a zone: itself, as one side of it, or by a gesture in it.
fn reads_zone(input: &InputSpec, at: usize, is_in_it: impl Fn(GestureId) -> bool) -> bool {
    let has_it = |side: &SideSpec| side.zones.iter().any(|zone| zone.index() == at);
    match input {
        InputSpec::Zone(zone) | InputSpec::Place { zone, .. } => zone.index() == at,
        InputSpec::Pair { negative, positive, .. } => has_it(negative) || has_it(positive),
        InputSpec::Cross(cross) => {
            [&cross.left, &cross.right, &cross.up, &cross.down].into_iter().any(has_it)
        }
        InputSpec::Gesture { gesture, .. } => is_in_it(*gesture),
        _ => false,
    }
}
