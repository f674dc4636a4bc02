//! What turns a combo around.

use super::*;

impl Reader<'_> {
    /// Its pairs are what of the steps is to the left or to the right.
    pub(super) fn mirror(
        &mut self,
        problems: &mut Problems,
        value: Value,
        steps: &[ComboStep],
        names: &Names,
    ) -> Option<Mirror> {
        let text = value.string(problems)?;
        let while_on = self.signal(problems, &Word { text, span: value.span() }, names)?;
        let mut pairs: Vec<(SignalId, SignalId)> = Vec::new();
        for signal in steps.iter().flat_map(|step| step.what.signals().to_vec()) {
            let other = match &self.signals[signal.index()] {
                Signal::Way(action, way) => Signal::Way(*action, way.mirrored()),
                Signal::Dpad(pad, way) => Signal::Dpad(pad.clone(), way.mirrored()),
                Signal::Control { control, thresholds } => {
                    let code = match control.code.as_str() {
                        "dpad-left" => "dpad-right",
                        "dpad-right" => "dpad-left",
                        _ => continue,
                    };
                    let control = ControlRef { code: code.to_owned(), ..control.clone() };
                    Signal::Control { control, thresholds: *thresholds }
                }
                _ => continue,
            };
            let other = self.number(other);
            let is_known = pairs.iter().any(|&(a, b)| a == signal || b == signal);
            if other != signal && !is_known {
                pairs.push((signal, other));
            }
        }
        if pairs.is_empty() {
            let expected =
                "a step to the left or to the right: without one there is nothing to turn around";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        Some(Mirror { while_on, pairs })
    }
}
