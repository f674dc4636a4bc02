//! Which zones a number lies in, along one axis of a panel.

use crate::base::{ZoneId, ZoneSet};
use alloc::vec::Vec;

/// The extents of rectangles along one axis. Asking which of them hold a number takes as long as
/// finding the number among their edges.
///
/// Invariants: edges rise; there are as many sets as edges.
#[derive(Clone, Debug, Default)]
pub(super) struct Spans {
    /// Where one of them begins or ends.
    edges: Vec<f32>,
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
        Spans { edges, holding }
    }

    /// Those that hold a number.
    #[inline]
    pub(super) fn holding(&self, number: f32) -> ZoneSet {
        let after = self.edges.partition_point(|edge| *edge <= number);
        after.checked_sub(1).map_or(ZoneSet::EMPTY, |at| self.holding[at])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Numbers on edges, extents that are empty or the wrong way round, and what is no number
        /// included.
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
            1 => Just(-0.0),
            1 => Just(f32::NAN),
            1 => Just(f32::INFINITY),
        ];
        [edge.clone(), edge]
    }
}
