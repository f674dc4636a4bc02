//! What the names in a combo mean.

use super::*;

impl Reader<'_> {
    /// The signal of a name; known ones keep their numbers.
    pub(super) fn signal(
        &mut self,
        problems: &mut Problems,
        word: &Word,
        names: &Names,
    ) -> Option<SignalId> {
        let signal = self.look_up(problems, word, names)?;
        Some(self.number(signal))
    }

    pub(super) fn number(&mut self, signal: Signal) -> SignalId {
        let known = self.signals.iter().position(|other| *other == signal);
        SignalId(known.unwrap_or_else(|| {
            self.signals.push(signal);
            self.signals.len() - 1
        }) as u16)
    }

    fn look_up(&self, problems: &mut Problems, word: &Word, names: &Names) -> Option<Signal> {
        let rig = self.context.rig;
        if let Some(name) = word.text.strip_prefix("action/") {
            let found = self.context.actions.iter().position(|other| *other == name);
            let is_digital = |action: &ActionSpec| action.gives.is_digital();
            match found {
                Some(at) if rig.actions.get(at).is_some_and(is_digital) => {
                    return Some(Signal::Action(ActionId::at(at)));
                }
                Some(_) => {
                    let expected = format!(
                        "an action that gives \"{}\"; the directions of a plane are read with `stick = …`",
                        [Gives::On, Gives::Pulse, Gives::Toggle].map(Gives::word).join("\", \"")
                    );
                    problems.add_word(word, [], &expected);
                }
                None => {
                    let known = self.context.actions.iter().copied();
                    problems.add_part(word, name, known, "the name of an action of this rig");
                }
            }
            return None;
        }
        if let Some(name) = word.text.strip_prefix("zone/") {
            let at = rig.zones.iter().position(|zone| zone.name == name);
            if at.is_none() {
                let known = rig.zones.iter().map(|zone| zone.name.as_str());
                problems.add_part(word, name, known, "the name of a [zone.…] of this rig");
            }
            return at.map(|at| Signal::Zone(ZoneId::at(at)));
        }
        if let Some(name) = word.text.strip_prefix("gesture/") {
            let at = rig.gestures.iter().position(|gesture| gesture.name == name);
            if at.is_none() {
                let known = rig.gestures.iter().map(|gesture| gesture.name.as_str());
                problems.add_part(word, name, known, "the name of a [gesture.…] of this rig");
            }
            return at.map(|at| Signal::Gesture(GestureId::at(at)));
        }
        if let Some(way) = Direction::of(word.text) {
            return match &names.stick {
                Some(Stick::Action(action)) => Some(Signal::Way(*action, way)),
                Some(Stick::Dpad(pad)) => Some(Signal::Dpad(pad.clone(), way)),
                None => {
                    let expected = "`stick = …` in this combo, the action or the d-pad whose direction is meant";
                    problems.add_word(word, [], expected);
                    None
                }
            };
        }
        self.control(problems, word, names)
    }

    fn control(&self, problems: &mut Problems, word: &Word, names: &Names) -> Option<Signal> {
        let text = match word.text.contains('/') {
            true => word.text.to_owned(),
            false => format!("{}/{}", names.device, word.text),
        };
        let press_at = tunable::PRESS_AT.default as f32;
        let thresholds = Thresholds { press_at, release_at: press_at };
        let expected =
            "a button, such as south, pad1/east or keys/KeyH, or action/…, zone/… or gesture/…";
        match text.parse::<ControlRef>() {
            Ok(control) if control.is_control() => Some(Signal::Control { control, thresholds }),
            Ok(control) => {
                let ways = SwipeDirections::WORDS.iter().copied().filter(|_| names.stick.is_some());
                let known = vocabulary::names(control.kind).iter().copied().chain(ways);
                problems.add_part(word, &control.code, known, expected);
                None
            }
            Err(_) => {
                problems.add_word(word, [], expected);
                None
            }
        }
    }
}
