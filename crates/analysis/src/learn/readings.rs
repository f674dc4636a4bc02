//! The kinds of control as which the numbers of an address can be read.

use alloc::{vec, vec::Vec};
use gtrig_core::{AddressedAs, DownAt};

/// Whole numbers mostly end at one of these.
const ENDS: [f64; 6] = [1.0, 127.0, 255.0, 1023.0, 32_767.0, 65_535.0];

/// The ways to read numbers between these two, the likeliest first. Of an argument that is
/// not a number only its arrival can be read.
pub fn readings(range: Option<[f64; 2]>, is_whole: bool) -> Vec<AddressedAs> {
    let Some([least, most]) = range else { return vec![AddressedAs::Pulse] };
    let furthest = least.abs().max(most.abs());
    let known = ENDS.iter().copied().find(|end| *end >= furthest);
    let end = match known {
        Some(end) if is_whole || end == 1.0 => end,
        _ => furthest,
    };
    let is_two_sided = least < 0.0;
    let axis = if is_two_sided {
        AddressedAs::Axis { min: -end, rest: 0.0, max: end }
    } else {
        let rest = if is_whole && end > 1.0 { libm::ceil(end / 2.0) } else { end / 2.0 };
        AddressedAs::Axis { min: 0.0, rest, max: end }
    };
    let trigger = AddressedAs::Trigger { rest: 0.0, end };
    let button = AddressedAs::Button(DownAt::Least(end / 2.0));
    let pulse = AddressedAs::Pulse;
    if is_two_sided {
        vec![axis, trigger, button, pulse]
    } else if is_whole && end == 1.0 {
        vec![button, trigger, axis, pulse]
    } else {
        vec![trigger, axis, button, pulse]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::a_switch([0.0, 1.0], true, AddressedAs::BUTTON)]
    #[case::a_fader([0.0, 0.5], false, AddressedAs::TRIGGER)]
    #[case::a_stick([-0.3, 0.5], false, AddressedAs::AXIS)]
    #[case::of_seven_bits([0.0, 90.0], true, AddressedAs::Trigger { rest: 0.0, end: 127.0 })]
    #[case::degrees([-170.5, 20.0], false, AddressedAs::Axis { min: -170.5, rest: 0.0, max: 170.5 })]
    #[case::larger_than_any([0.0, 70_000.0], true, AddressedAs::Trigger { rest: 0.0, end: 70_000.0 })]
    fn the_likeliest_comes_first(
        #[case] range: [f64; 2],
        #[case] is_whole: bool,
        #[case] expected: AddressedAs,
    ) {
        let all = readings(Some(range), is_whole);
        assert_eq!((all[0], all.len()), (expected, 4));
        // Both ends of what came are read, whatever it is taken for.
        for read_as in all {
            assert!(range.map(|end| read_as.raw(end)).iter().all(Option::is_some));
        }
        assert_eq!(readings(None, true), [AddressedAs::Pulse]);
    }

    #[test]
    fn the_middle_of_seven_bits_is_64() {
        let axis = AddressedAs::Axis { min: 0.0, rest: 64.0, max: 127.0 };
        assert!(readings(Some([0.0, 127.0]), true).contains(&axis));
    }
}
