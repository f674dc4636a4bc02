//! What turns a combo around.

use super::*;

impl Reader<'_> {
    /// Its pairs are what of the steps is to the left or to the right, and of what ends them.
    pub(super) fn mirror(
        &mut self,
        problems: &mut Problems,
        value: Value,
        (steps, passing): (&[ComboStep], &[SignalId]),
        names: &Names,
    ) -> Option<Mirror> {
        let text = value.string(problems)?;
        let while_on = self.signal(problems, &Word { text, span: value.span() }, names)?;
        let mut pairs: Vec<(SignalId, SignalId)> = Vec::new();
        let of_steps = steps.iter().flat_map(|step| step.what.signals());
        self.add_pairs(&mut pairs, of_steps.copied());
        let is_turned = !pairs.is_empty();
        self.add_pairs(&mut pairs, steps.iter().flat_map(|step| step.unless.iter().copied()));
        self.add_pairs(&mut pairs, passing.iter().copied());
        if !is_turned {
            let expected =
                "a step to the left or to the right: without one there is nothing to turn around";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        Some(Mirror { while_on, pairs })
    }

    /// Adds those signals that are to the left or to the right, each with the one on the other
    /// side.
    fn add_pairs(
        &mut self,
        pairs: &mut Vec<(SignalId, SignalId)>,
        signals: impl Iterator<Item = SignalId>,
    ) {
        for signal in signals {
            let Some(other) = self.turned(signal) else { continue };
            let other = self.number(other);
            let is_known = pairs.iter().any(|&(a, b)| a == signal || b == signal);
            if other != signal && !is_known {
                pairs.push((signal, other));
            }
        }
    }

    /// The same on the other side, of what has sides.
    fn turned(&self, signal: SignalId) -> Option<Signal> {
        match &self.signals[signal.index()] {
            Signal::Way(action, way) => Some(Signal::Way(*action, way.mirrored())),
            Signal::Dpad(pad, way) => Some(Signal::Dpad(pad.clone(), way.mirrored())),
            Signal::Control { control, thresholds } => {
                let code = match control.code.as_str() {
                    "dpad-left" => "dpad-right",
                    "dpad-right" => "dpad-left",
                    _ => return None,
                };
                let control = ControlRef { code: code.to_owned(), ..control.clone() };
                Some(Signal::Control { control, thresholds: *thresholds })
            }
            _ => None,
        }
    }
}
