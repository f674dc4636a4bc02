//! What combos are about: each name in their steps is a signal, and here it is tied to what turns
//! it on and off.
//!
//! A signal may be several controls (the south button of any pad); it is on while any of them is.
//! What is none of the rig's names still matters to a strict combo: each kind of device that such
//! a combo listens to has one signal for all its other buttons.
//!
//! ```text
//!  signal             tied to                            heard by
//!  pad/south          south of pad·1, south of pad·2     those controls
//!  pad/dpad left      four buttons of each d-pad         those controls
//!  zone, gesture      its id                             zones, gestures that changed
//!  action, direction  the id of the action               actions that changed
//!  others of pad·1    the device                         buttons that are no signal
//! ```

use super::Binder;
use crate::base::{ControlId, SignalId};
use crate::combo::BoundSignal;
use crate::device::{ControlRef, Device};
use crate::spec::{Rig, Signal};
use alloc::{format, vec::Vec};

impl Binder<'_> {
    /// Binds all signals of the rig, in its order, and notes for each control the signals that it
    /// moves.
    ///
    /// A control that is part of several is noted for each of them.
    pub(super) fn signals(&mut self) {
        let rig = self.rig;
        let mut signals_of = Vec::new();
        for (signal, id) in rig.signals.iter().zip((0..).map(SignalId)) {
            let bound = match signal {
                Signal::Control { control, thresholds } => {
                    let bit = self.bit(*thresholds);
                    let first = self.combos.signal_controls.len() as u32;
                    for control in control.resolve(self.roster) {
                        self.follow(control, *thresholds, bit);
                        self.combos.signal_controls.push((control, bit));
                        signals_of.push((control, id));
                    }
                    let len = self.combos.signal_controls.len() as u32 - first;
                    BoundSignal::Controls { first, len }
                }
                Signal::Dpad(pad, direction) => {
                    let first = self.combos.signal_controls.len() as u32;
                    for control in self.dpads(pad).into_iter().flatten() {
                        self.combos.signal_controls.push((control, 0));
                        signals_of.push((control, id));
                    }
                    let len = self.combos.signal_controls.len() as u32 - first;
                    BoundSignal::Dpad { first, len, direction: *direction }
                }
                Signal::Others(kind, number) => {
                    let is_it =
                        |device: &Device| device.info.kind == *kind && device.number == *number;
                    let devices = self.roster.devices().filter(|(_, device)| is_it(device));
                    self.combos.others.extend(devices.map(|(device, _)| (device, id)));
                    BoundSignal::Others
                }
                Signal::Action(action) => BoundSignal::Action(*action),
                Signal::Zone(zone) => BoundSignal::Zone(*zone),
                Signal::Gesture(gesture) => BoundSignal::Gesture(*gesture),
                Signal::Way(action, way) => {
                    BoundSignal::Way(*action, rig.actions[action.index()].gives, *way)
                }
            };
            match bound {
                BoundSignal::Controls { .. } | BoundSignal::Dpad { .. } | BoundSignal::Others => {}
                BoundSignal::Zone(_) => self.combos.zones.push(id),
                BoundSignal::Gesture(_) => self.combos.gestures.push(id),
                BoundSignal::Action(_) | BoundSignal::Way(..) => self.combos.actions.push(id),
            }
            self.combos.signals.push(bound);
        }
        let controls = self.roster.controls().len();
        self.combos.signals_of = crate::base::ControlTable::new(signals_of, controls);
    }

    /// The four buttons of every d-pad that is meant: left, right, up, down.
    ///
    /// A pad that lacks one of the four has no d-pad.
    fn dpads(&self, pad: &ControlRef) -> Vec<[ControlId; 4]> {
        let button = |side: &str| {
            let code = format!("{}-{side}", pad.code);
            let all = ControlRef { code, ..pad.clone() };
            all.resolve(self.roster).collect::<Vec<ControlId>>()
        };
        let [left, right, up, down] = ["left", "right", "up", "down"].map(button);
        let of_one = |&left: &ControlId| {
            let device = self.roster.control(left).device;
            let its = |side: &[ControlId]| {
                side.iter().copied().find(|id| self.roster.control(*id).device == device)
            };
            Some([left, its(&right)?, its(&up)?, its(&down)?])
        };
        left.iter().filter_map(of_one).collect()
    }

    /// The controls that move a signal, if controls do.
    pub(super) fn controls_of(&self, signal: SignalId) -> Vec<ControlId> {
        match &self.rig.signals[signal.index()] {
            Signal::Control { control, .. } => control.resolve(self.roster).collect(),
            Signal::Dpad(pad, _) => self.dpads(pad).into_iter().flatten().collect(),
            _ => Vec::new(),
        }
    }
}

/// The actions that combos read, and those that open and close them.
///
/// For each action, by its id; empty where combos read none. Gates are among them, for a gate must
/// be known before what it closes.
pub(super) fn early(rig: &Rig) -> Vec<bool> {
    let read = rig.signals.iter().filter_map(|signal| match signal {
        Signal::Action(at) | Signal::Way(at, _) => Some(*at),
        _ => None,
    });
    let mut early = Vec::new();
    for at in read {
        early.resize(rig.actions.len(), false);
        let action = &rig.actions[at.index()];
        for &gate in action.closed_while.iter().chain(&action.open_while).chain([&at]) {
            early[gate.index()] = true;
        }
    }
    early
}
