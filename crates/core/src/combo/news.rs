//! What combos come to, tick by tick.

use crate::base::{ComboId, ControlId, Moment, Tick};

/// A combo at a tick.
///
/// ```
/// use gtrig_core::ComboState;
///
/// let fired = ComboState { fired: true, ..ComboState::default() };
/// assert!(fired.is_on() && !ComboState::default().is_on());
/// // One that stays on while its last button is held is on after that tick too.
/// assert!(ComboState { lasts: true, ..ComboState::default() }.is_on());
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ComboState {
    /// Whether it fired in this tick.
    pub fired: bool,
    /// Whether it goes on after it fired.
    pub lasts: bool,
    /// Who made it fire last.
    pub by: Option<ControlId>,
}

impl ComboState {
    /// Whether it fired in this tick or still lasts.
    pub const fn is_on(&self) -> bool {
        self.fired || self.lasts
    }
}

/// What became of a combo whose steps were all met.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ComboOutcome {
    /// It fired.
    Fired,
    /// It waited for another one, and that was met with one of its presses.
    Cancelled(ComboId),
    /// It waited for others and was forgotten: another mode came, or too many
    /// attempts at it waited at once.
    Forgotten,
}

/// A combo whose steps were all met, and what became of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ComboNews {
    /// The combo.
    pub combo: ComboId,
    /// Of one whose presses come from one device on which of its devices, counted
    /// from 0; otherwise 0.
    pub copy: u8,
    /// When its first step was met, by the clock of the combos.
    pub began: Moment,
    /// When its last step was met.
    pub met: Moment,
    /// The tick at which that was known.
    pub known: Tick,
    /// The tick at which it fired, or was cancelled.
    pub tick: Tick,
    /// Which of the two.
    pub outcome: ComboOutcome,
    /// Who did it.
    pub by: Option<ControlId>,
}
