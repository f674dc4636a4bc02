//! From the bytes of a report to the values of controls.

use super::layout::{Becomes, Layout, List, Listed, Report, Route};
use gtrig_core::ControlKind;
use std::ops::Range;

/// Turns reports into changes: what is as it was is not told, but counts are.
#[derive(Clone, Debug)]
pub(crate) struct Decoder {
    layout: Layout,
    /// The last value of each control; `None` until it was told.
    values: Vec<Option<i32>>,
    /// What is on of the list at hand, by its place there.
    on: Vec<bool>,
}

/// What is wrong with a report. It is left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ReportFault {
    /// It is empty.
    Empty,
    /// The descriptor has no report of this number.
    NoSuchReport(u8),
    /// It is shorter than the descriptor says: so many bytes instead of so many.
    Short(usize, usize),
}

impl std::fmt::Display for ReportFault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            ReportFault::Empty => write!(f, "a report without a byte"),
            ReportFault::NoSuchReport(id) => {
                write!(f, "a report of number {id}, of which its descriptor says nothing")
            }
            ReportFault::Short(has, needs) => {
                write!(f, "a report of {has} bytes, where its descriptor says {needs}")
            }
        }
    }
}

impl Decoder {
    pub(crate) fn new(layout: Layout) -> Self {
        let count = layout.info.controls.len();
        Decoder { layout, values: vec![None; count], on: Vec::with_capacity(count) }
    }

    pub(crate) fn layout(&self) -> &Layout {
        &self.layout
    }

    /// Takes in a report; `tell` hears each control that has another value, and every
    /// count. Bytes beyond what the descriptor says are told of no control.
    ///
    /// # Errors
    /// When it is no report of this device: nothing is told then.
    pub(crate) fn report(
        &mut self,
        bytes: &[u8],
        mut tell: impl FnMut(u16, i32),
    ) -> Result<(), ReportFault> {
        let Decoder { layout, values, on } = self;
        let report = report_of(layout, bytes)?;
        let mut change = |control: u16, value: i32| {
            let was = &mut values[usize::from(control)];
            // A button that is up before anything was said is no news.
            let is_button = layout.info.controls[usize::from(control)].kind == ControlKind::Button;
            let is_news = match *was {
                Some(was) => was != value,
                None => !(is_button && value == 0),
            };
            *was = Some(value);
            if is_news {
                tell(control, value);
            }
        };
        for Route { bits, is_signed, becomes } in &report.fields {
            let value = |bits: &Range<u32>| value_of(bytes, bits, *is_signed);
            match becomes {
                Becomes::Value(control) => {
                    let kind = layout.info.controls[usize::from(*control)].kind;
                    let (is_button, value) = (kind == ControlKind::Button, value(bits));
                    change(*control, if is_button { i32::from(value != 0) } else { value });
                }
                Becomes::Hat { controls, first, places } => {
                    let down = sides(value(bits).wrapping_sub(*first), *places);
                    for (control, is_down) in controls.iter().zip(down) {
                        change(*control, i32::from(is_down));
                    }
                }
                Becomes::List(list) => {
                    let begins = bits.clone().step_by(list.width as usize);
                    read_list(list, begins.map(|n| value(&(n..n + list.width))), on, &mut change);
                }
                Becomes::Count(_) => {}
            }
        }
        let (control, begins) = report.bytes_at;
        for (byte, control) in bytes[begins..].iter().take(report.byte_count).zip(control..) {
            change(control, i32::from(*byte));
        }
        for Route { bits, is_signed, becomes } in &report.fields {
            if let Becomes::Count(control) = becomes {
                let count = value_of(bytes, bits, *is_signed);
                if count != 0 {
                    tell(*control, count);
                }
            }
        }
        Ok(())
    }
}

/// Which report of a device this is.
fn report_of<'a>(layout: &'a Layout, bytes: &[u8]) -> Result<&'a Report, ReportFault> {
    let first = *bytes.first().ok_or(ReportFault::Empty)?;
    let id = if layout.is_numbered { first } else { 0 };
    let report = layout.reports.iter().find(|report| report.id == id);
    let report = report.ok_or(ReportFault::NoSuchReport(id))?;
    if bytes.len() < report.bytes {
        return Err(ReportFault::Short(bytes.len(), report.bytes));
    }
    Ok(report)
}

/// What a list names is on and all else is off; `on` is room to work in.
///
/// Where the device says that it cannot tell, its buttons stay as they were: what was down is not
/// known to be up.
fn read_list(
    list: &List,
    numbers: impl Iterator<Item = i32>,
    on: &mut Vec<bool>,
    mut change: impl FnMut(u16, i32),
) {
    on.clear();
    on.resize(list.controls.len(), false);
    for number in numbers {
        let at = usize::try_from(i64::from(number) - i64::from(list.first)).ok();
        if let Some(is_on) = at.and_then(|at| on.get_mut(at)) {
            *is_on = true;
        }
    }
    let listed = || list.controls.iter().zip(on.iter());
    let is_unknown = listed().any(|(of, is_on)| *is_on && matches!(of, Listed::Unknown(_)));
    for (of, is_on) in listed() {
        match of {
            Listed::Nothing => {}
            Listed::Button(_) if is_unknown => {}
            Listed::Button(control) | Listed::Unknown(control) => {
                change(*control, i32::from(*is_on));
            }
        }
    }
}

/// Up, right, down and left of a hat that points at a place of 8, or of 4, clockwise
/// from up; none of these at any other value.
fn sides(place: i32, places: i32) -> [bool; 4] {
    let eighth = match (places, place) {
        (8.., 0..8) => place,
        (4..8, 0..4) => 2 * place,
        _ => return [false; 4],
    };
    [0, 2, 4, 6]
        .map(|side: i32| (eighth - side).rem_euclid(8).min((side - eighth).rem_euclid(8)) <= 1)
}

/// The value of 1 to 32 bits; the lowest bit of a byte comes first.
fn value_of(bytes: &[u8], bits: &Range<u32>, is_signed: bool) -> i32 {
    let (first, last) = (bits.start as usize / 8, (bits.end - 1) as usize / 8);
    let all = bytes[first..=last].iter().rev().fold(0u64, |sum, byte| sum << 8 | u64::from(*byte));
    let width = bits.len() as u32;
    let value = all >> (bits.start % 8) & ((1u64 << width) - 1);
    let is_negative = is_signed && value >> (width - 1) & 1 == 1;
    match is_negative {
        true => (value as i64 - (1i64 << width)) as i32,
        // More than a control can be stays at its most.
        false => i32::try_from(value).unwrap_or(i32::MAX),
    }
}

#[cfg(test)]
mod tests;
