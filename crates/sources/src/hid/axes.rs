//! Which usage is behind an axis that the kernel names.
//!
//! The kernel has fewer names for axes than there are usages: a slider becomes its
//! throttle, a second slider its rudder. Where the report descriptor is at hand, the
//! way of the kernel from usages to codes (`hidinput_configure_usage` in
//! `drivers/hid/hid-input.c`) is gone once more; if that comes to the very axes that
//! the device has, its usages say what they are. Drivers that choose for themselves
//! come to others, and are believed. Where two fields come to the same code, kernels of
//! today put both on the one axis, and older ones took the next free code.

use super::{
    descriptor::{self, Descriptor, FieldKind, UsageId},
    usage,
};
use std::collections::{BTreeMap, BTreeSet};

/// What a report descriptor says of an axis.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct AxisUsage {
    /// What its usage is called; no two axes of a device have the same.
    pub(crate) name: String,
    /// Whether it rests at its lower end, by what it is for.
    pub(crate) is_one_sided: bool,
}

/// The first axis of a hat, and the last.
const HATS: std::ops::RangeInclusive<u16> = 0x10..=0x17;
/// The first axis that is of no known kind, and the last axis of all.
const ABS_MISC: u16 = 0x28;
const ABS_MAX: u16 = 0x3f;

/// The usages behind some axes of the kernel, hats aside; nothing where the descriptor
/// does not lead to these very axes.
pub(crate) fn usages_of(bytes: &[u8], axes: &[u16]) -> BTreeMap<u16, AxisUsage> {
    let Ok(descriptor) = descriptor::parse(bytes) else { return BTreeMap::new() };
    let wanted: BTreeSet<u16> = axes.iter().copied().filter(|code| !HATS.contains(code)).collect();
    // One node has the fields of all applications, or of one of them.
    let fields = descriptor.reports.iter().flat_map(|report| &report.fields);
    let applications: BTreeSet<Option<UsageId>> = fields.map(|field| field.application).collect();
    let choices = std::iter::once(None).chain(applications.into_iter().map(Some));
    let codes = choices.flat_map(|of| [true, false].map(|share| codes(&descriptor, of, share)));
    let same = codes.into_iter().find(|codes| {
        !codes.is_empty() && codes.iter().map(|(code, _)| *code).collect::<BTreeSet<_>>() == wanted
    });
    let mut counts = BTreeMap::new();
    let of = |(code, of): (u16, UsageId)| {
        let count = counts.entry(of).and_modify(|count| *count += 1).or_insert(1);
        let name = usage::name(of);
        let name = if *count == 1 { name } else { format!("{name}-{count}") };
        (code, AxisUsage { name, is_one_sided: usage::is_one_sided(of) })
    };
    same.unwrap_or_default().into_iter().map(of).collect()
}

/// The axes that the kernel makes of the fields of an application, or of all; of those
/// that share one the first.
fn codes(
    descriptor: &Descriptor,
    application: Option<Option<UsageId>>,
    all_share: bool,
) -> Vec<(u16, UsageId)> {
    let fields = descriptor.reports.iter().flat_map(|report| &report.fields);
    let mut codes: Vec<(u16, UsageId)> = Vec::new();
    for field in fields.filter(|field| application.is_none_or(|of| field.application == of)) {
        let FieldKind::Variable { usage: of, is_relative: false } = field.kind else { continue };
        let is_bit = field.bits.len() == 1;
        let Some((first, is_shared)) = code_of(of, is_bit) else { continue };
        let is_taken = |code: u16| codes.iter().any(|(taken, _)| *taken == code);
        if (is_shared || all_share) && is_taken(first) {
            continue;
        }
        codes.extend((first..=ABS_MAX).find(|code| !is_taken(*code)).map(|code| (code, of)));
    }
    codes
}

/// The code that the kernel begins with for a usage, and whether fields of the same
/// usage share it instead of taking the next one.
fn code_of(UsageId { page, id }: UsageId, is_bit: bool) -> Option<(u16, bool)> {
    match (page, id) {
        (usage::DESKTOP, 0x30..=0x35) => Some((id & 0xf, true)),
        (usage::DESKTOP, 0x36..=0x38) => Some((id & 0xf, false)),
        (usage::SIMULATION, 0xba) => Some((0x07, false)),
        (usage::SIMULATION, 0xbb) => Some((0x06, false)),
        (usage::SIMULATION, 0xc4) => Some((0x09, false)),
        (usage::SIMULATION, 0xc5) => Some((0x0a, false)),
        (usage::SIMULATION, 0xc8) => Some((0x08, false)),
        // A maker's own, of more than one bit.
        (0xff00.., _) if !is_bit => Some((ABS_MISC, false)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// X, a dial, three sliders, and the throttle of the simulation page.
    const BOARD: &[u8] = &[
        0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x05,
        0x09, 0x30, 0x09, 0x37, 0x09, 0x36, 0x09, 0x36, 0x09, 0x36, 0x81, 0x02, 0x05, 0x02, 0x09,
        0xbb, 0x95, 0x01, 0x81, 0x02, 0xc0,
    ];

    /// A kernel of today puts them on x, rudder and throttle.
    #[test]
    fn fields_that_share_an_axis_are_the_first_of_them() {
        let usages = usages_of(BOARD, &[0, 6, 7]);
        let names: Vec<&str> = usages.values().map(|of| of.name.as_str()).collect();
        assert_eq!(names, ["x", "slider", "dial"]);
    }

    /// An older one makes x, rudder, throttle, wheel, gas and brake of them.
    #[test]
    fn sliders_are_no_rudders() {
        let usages = usages_of(BOARD, &[0, 7, 6, 8, 9, 0x0a]);
        let named: Vec<(u16, &str, bool)> =
            usages.iter().map(|(code, of)| (*code, of.name.as_str(), of.is_one_sided)).collect();
        assert_eq!(
            named,
            [
                (0, "x", false),
                (6, "slider", true),
                (7, "dial", true),
                (8, "slider-2", true),
                (9, "slider-3", true),
                (0x0a, "throttle", true),
            ]
        );
    }

    #[rstest]
    #[case::a_driver_that_chose(BOARD, &[0, 1, 6])]
    #[case::no_descriptor(&[], &[0])]
    #[case::damaged(&[0x26, 0xff], &[0])]
    #[case::no_axes(BOARD, &[])]
    fn what_does_not_lead_to_the_axes_says_nothing(#[case] bytes: &[u8], #[case] axes: &[u16]) {
        assert_eq!(usages_of(bytes, axes), BTreeMap::new());
    }
}
