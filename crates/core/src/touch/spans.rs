//! Which zones a number lies in, along one axis of a panel.

use crate::base::{ZoneId, ZoneSet};
use alloc::vec::Vec;

/// A panel is parted into so many stretches of the same length along each axis.
const STRETCHES: usize = 64;

/// The extents of rectangles along one axis. Asking which of them hold a number takes as long as
/// going through the edges of its stretch of the panel.
///
/// Invariants: edges rise; there are as many sets as edges. For each stretch, `before` is how many
/// edges no number of it is below; the first one holds all numbers that are lower, and the last all
/// that are higher.
#[derive(Clone, Debug)]
pub(super) struct Spans {
    /// Where one of them begins or ends.
    edges: Vec<f32>,
    /// For each stretch of the panel.
    before: [u16; STRETCHES],
    /// For each edge those that hold the numbers from it up to the next one.
    holding: Vec<ZoneSet>,
}

impl Spans {
    /// Of extents that hold the numbers from their first edge up to, but not including, their last.
    pub(super) fn new(extents: &[(ZoneId, [f32; 2])]) -> Self {
        let all = extents.iter().flat_map(|(_, edges)| *edges);
        let mut edges: Vec<f32> = all.filter(|edge| !edge.is_nan()).collect();
        edges.sort_by(f32::total_cmp);
        edges.dedup();
        let held = |edge: &f32| {
            let holds = |(_, [from, to]): &&(ZoneId, [f32; 2])| (from..to).contains(&edge);
            extents.iter().filter(holds).map(|(zone, _)| *zone).collect()
        };
        let holding = edges.iter().map(held).collect();
        let begin = |stretch: usize| stretch as f32 / STRETCHES as f32;
        let mut before = [0; STRETCHES];
        for (stretch, before) in before.iter_mut().enumerate().skip(1) {
            *before = edges.partition_point(|edge| *edge <= begin(stretch)) as u16;
        }
        Spans { edges, before, holding }
    }

    /// Those that hold a number.
    #[inline]
    pub(super) fn holding(&self, number: f32) -> ZoneSet {
        // A power of two of them: the product is exact.
        let stretch = (number * STRETCHES as f32) as usize;
        let mut after = usize::from(self.before[stretch.min(STRETCHES - 1)]);
        while self.edges.get(after).is_some_and(|edge| *edge <= number) {
            after += 1;
        }
        after.checked_sub(1).map_or(ZoneSet::EMPTY, |at| self.holding[at])
    }
}

impl Default for Spans {
    fn default() -> Self {
        Spans::new(&[])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Numbers on edges, between them and beyond the panel, several edges in one stretch of it,
        /// extents that are empty or the wrong way round, and what is no number included.
        #[test]
        fn those_hold_a_number_whose_edges_are_on_both_sides(
            extents in prop::collection::vec(edges(), 0..64),
            at in edges(),
        ) {
            let zones = ZoneId::first(extents.len());
            let extents: Vec<(ZoneId, [f32; 2])> = zones.zip(extents).collect();
            let spans = Spans::new(&extents);
            for number in at {
                let holds = |(_, [from, to]): &&(ZoneId, [f32; 2])| *from <= number && number < *to;
                let expected: ZoneSet =
                    extents.iter().filter(holds).map(|(zone, _)| *zone).collect();
                prop_assert_eq!(spans.holding(number), expected);
            }
        }
    }

    fn edges() -> impl Strategy<Value = [f32; 2]> {
        let edge = prop_oneof![
            8 => (0i8..=16).prop_map(|part| f32::from(part) / 16.0),
            8 => -0.5f32..1.5,
            4 => 0.49f32..0.51,
            1 => Just(-0.0),
            1 => Just(f32::NAN),
            1 => Just(f32::INFINITY),
        ];
        [edge.clone(), edge]
    }
}
