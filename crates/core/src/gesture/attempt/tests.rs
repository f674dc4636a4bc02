use super::*;
use rstest::rstest;

#[rstest]
#[case::a_quarter_counter_clockwise([1.0, 0.0], [0.0, -1.0], 90.0)]
#[case::a_quarter_clockwise([1.0, 0.0], [0.0, 2.0], -90.0)]
#[case::none([0.5, 0.5], [3.0, 3.0], 0.0)]
#[case::of_no_line([0.0, 0.0], [3.0, 3.0], 0.0)]
fn turns_are_as_they_look(#[case] from: [f32; 2], #[case] to: [f32; 2], #[case] turn: f32) {
    assert!((degrees_between(from, to) - turn).abs() < 1e-4);
}
