//! Combos whose presses must all come from one device: what they are on each.

use super::*;
use gtrig_core::{DeviceKind, OnDevice, SLOTS};

impl Reader<'_> {
    /// Ties those combos to their devices that say so, once all are read: a strict
    /// one bans whatever else any combo names.
    pub(super) fn tie_to_devices(&mut self, problems: &mut Problems, combos: &mut [Combo]) {
        let mut tied = Vec::new();
        for (at, value) in std::mem::take(&mut self.one_device) {
            if let Some(kind) = self.kind_of(problems, value, &combos[at]) {
                combos[at].devices = (1..=SLOTS).map(|n| self.on(kind, n, &combos[at])).collect();
                tied.push((at, kind));
            }
        }
        for (at, kind) in tied {
            if let Some(Strict::AllBut(passing)) = combos[at].strict.clone() {
                for (device, number) in combos[at].devices.iter_mut().zip(1..) {
                    device.banned = self.banned(kind, number, &passing);
                }
            }
        }
    }

    /// The kind of the devices that a combo may be done on.
    fn kind_of(&self, problems: &mut Problems, value: Value, combo: &Combo) -> Option<DeviceKind> {
        let mut kind = None;
        for signal in named_by(combo) {
            let control = control_of(&self.signals[signal.index()]);
            match control.filter(|control| control.number.is_none()) {
                Some(control) if *kind.get_or_insert(control.kind) == control.kind => {}
                _ => {
                    let name = self.signals[signal.index()].clone();
                    let expected = format!(
                        "steps on buttons or a d-pad of any device of one kind, such as \"pad/south\", not {}",
                        what(&name)
                    );
                    problems.add(value.span(), "`one-device`".to_owned(), &expected);
                    return None;
                }
            }
        }
        kind
    }

    fn on(&mut self, kind: DeviceKind, number: u8, combo: &Combo) -> OnDevice {
        let mut signals: Vec<(SignalId, SignalId)> = Vec::new();
        for any in named_by(combo) {
            if signals.iter().all(|(known, _)| *known != any) {
                let own = numbered(&self.signals[any.index()], kind, number);
                let own = own.map_or(any, |own| self.number(own));
                signals.push((any, own));
            }
        }
        OnDevice { signals, banned: Vec::new() }
    }

    /// Everything that can be pressed on a device, but for what may pass.
    fn banned(&mut self, kind: DeviceKind, number: u8, passing: &[SignalId]) -> Vec<SignalId> {
        let mut banned = Vec::new();
        for at in 0..self.signals.len() {
            let signal = &self.signals[at];
            let is_its = |control: &ControlRef| {
                control.kind == kind && control.number.is_none_or(|its| its == number)
            };
            if passing.contains(&SignalId(at as u16)) || !control_of(signal).is_some_and(is_its) {
                continue;
            }
            let own = numbered(signal, kind, number).unwrap_or_else(|| signal.clone());
            banned.push(self.number(own));
        }
        banned.push(self.number(Signal::Others(kind, number)));
        // What passes on any device passes on this one.
        let passes: Vec<Signal> = passing
            .iter()
            .filter_map(|signal| numbered(&self.signals[signal.index()], kind, number))
            .collect();
        let passes: Vec<SignalId> = passes.into_iter().map(|own| self.number(own)).collect();
        banned.retain(|signal| !passes.contains(signal));
        banned.sort_unstable();
        banned.dedup();
        banned
    }
}

/// Every signal that a combo names but for what turns it around, in the order in which they
/// count at one instant.
fn named_by(combo: &Combo) -> Vec<SignalId> {
    let steps = combo.steps.iter();
    let steps = steps.flat_map(|step| step.what.signals().iter().chain(&step.unless).copied());
    let passing = match &combo.strict {
        Some(Strict::AllBut(passing)) => passing.as_slice(),
        _ => &[],
    };
    let turned = combo.mirror.iter().flat_map(|mirror| &mirror.pairs);
    let turned = turned.flat_map(|&(one, other)| [one, other]);
    passing.iter().copied().chain(steps).chain(turned).collect()
}

/// The control, or the d-pad, that a signal is of.
fn control_of(signal: &Signal) -> Option<&ControlRef> {
    match signal {
        Signal::Control { control, .. } | Signal::Dpad(control, _) => Some(control),
        _ => None,
    }
}

/// A signal of any device of a kind as that of one of them.
fn numbered(signal: &Signal, kind: DeviceKind, number: u8) -> Option<Signal> {
    let any = control_of(signal).filter(|any| any.kind == kind && any.number.is_none())?;
    let control = ControlRef { number: Some(number), ..any.clone() };
    Some(match *signal {
        Signal::Dpad(_, way) => Signal::Dpad(control, way),
        Signal::Control { thresholds, .. } => Signal::Control { control, thresholds },
        _ => return None,
    })
}

/// What a signal is that is no button of any device.
fn what(signal: &Signal) -> String {
    match signal {
        Signal::Control { control, .. } | Signal::Dpad(control, _) => format!("\"{control}\""),
        Signal::Action(_) => "an action".to_owned(),
        Signal::Zone(_) => "a zone".to_owned(),
        Signal::Gesture(_) => "a gesture".to_owned(),
        Signal::Way(..) => "a direction of an action".to_owned(),
        Signal::Others(..) => "other buttons".to_owned(),
    }
}
