//! Which zones have a contact.
//!
//! Zones are asked from the highest layer down, and among equals in the order of the rig. The
//! first that takes what it has ends the question. Rectangles, which most zones are, are found
//! together by their edges; a zone that leaves its contacts to others is not asked at all.

use super::spans::Spans;
use crate::base::{ZoneId, ZoneSet};
use crate::spec::{Anchor, Claim, MAX_ZONES, Outline, Pointing, Space, Surface, Zone, within_last};
use alloc::vec::Vec;
use strum::VariantArray;

/// The zones of a rig, in the order in which they are asked.
///
/// ```
/// use gtrig_core::{Outline, Surface, Zone, ZoneId, Zones};
///
/// let mut menu = Zone::new("menu", Outline::Rect { at: [0.0, 0.0], size: [0.5, 1.0] });
/// menu.layer = 1;
/// let whole = Zone::new("whole", Outline::Rect { at: [0.0, 0.0], size: [1.0, 1.0] });
/// let zones = Zones::new(&[whole, menu], &Surface::default());
/// // The menu lies on top, wherever the rig names it.
/// assert!(zones.under([0.2, 0.5], 0.5).eq([ZoneId(1), ZoneId(0)]));
/// assert!(zones.under([0.7, 0.5], 0.5).eq([ZoneId(0)]));
/// ```
#[derive(Clone, Debug, Default)]
pub struct Zones {
    /// With outlines in shares of the panel.
    zones: Vec<Zone>,
    /// From the highest layer to the lowest.
    order: Vec<ZoneId>,
    /// Of those that can have a contact the rectangles, from left to right and from top to bottom.
    spans: [Spans; 2],
    /// The others of them.
    shaped: Vec<ZoneId>,
    /// Those that have the contacts on them, wherever these began.
    pub(super) following: ZoneSet,
    /// Those that take what they have.
    pub(super) taking: ZoneSet,
    /// For each that can point, in their order, those that have no contacts of it.
    deaf: [ZoneSet; Pointing::VARIANTS.len()],
}

impl Zones {
    /// Of `zones` those beyond [`MAX_ZONES`] are left out, and one whose space
    /// the surface does not know is taken to be in shares.
    pub fn new(zones: &[Zone], surface: &Surface) -> Self {
        let on_panel = |zone: &Zone| {
            let map = zone.to_panel(surface);
            let outline = map.map_or(zone.outline.clone(), |map| zone.outline.mapped(&map));
            Zone { outline, space: Space::Panel, anchor: Anchor::default(), ..zone.clone() }
        };
        let zones: Vec<Zone> = zones.iter().take(MAX_ZONES).map(on_panel).collect();
        let mut order: Vec<ZoneId> = ZoneId::first(zones.len()).collect();
        order.sort_by_key(|&id| core::cmp::Reverse(zones[id.index()].layer));
        let those = |is: fn(&Zone) -> bool| {
            ZoneId::first(zones.len()).filter(|id| is(&zones[id.index()])).collect::<ZoneSet>()
        };
        let following = those(|zone| zone.follows);
        let taking = those(|zone| zone.claim == Claim::Take);
        let is_deaf = |by: Pointing| {
            let deaf = ZoneId::first(zones.len()).filter(|id| !zones[id.index()].by.has(by));
            deaf.collect::<ZoneSet>()
        };
        let mut deaf = [ZoneSet::EMPTY; Pointing::VARIANTS.len()];
        Pointing::VARIANTS.iter().for_each(|&by| deaf[by as usize] = is_deaf(by));
        let asked = those(|zone| zone.claim != Claim::Pass);
        let extent = |id: ZoneId, axis: usize| match zones[id.index()].outline {
            Outline::Rect { at, size } => Some((id, [at[axis], at[axis] + size[axis]])),
            _ => None,
        };
        let spans = [0, 1].map(|axis| {
            let extents = asked.iter().filter_map(|id| extent(id, axis));
            Spans::new(&extents.collect::<Vec<_>>())
        });
        let shaped = asked.iter().filter(|&id| extent(id, 0).is_none()).collect();
        Zones { zones, order, spans, shaped, following, taking, deaf }
    }

    /// The zones that have no contacts of what points so.
    pub(super) const fn deaf_to(&self, by: Pointing) -> ZoneSet {
        self.deaf[by as usize]
    }

    /// The zones with their outlines in shares of the panel, in the order of the
    /// rig.
    pub fn on_panel(&self) -> &[Zone] {
        &self.zones
    }

    /// The zones under a place, the one that is asked first in front.
    pub fn under(&self, place: [f32; 2], proportion: f32) -> impl Iterator<Item = ZoneId> {
        let order = self.order.iter().copied();
        order.filter(move |id| self.zones[id.index()].outline.contains(place, proportion))
    }

    /// The zones that have a contact at a place, of which those that `began` with
    /// it keep it, wherever it goes. A zone that does not follow and did not
    /// begin with it does not stand in its way either, nor does one that is
    /// `closed`.
    ///
    /// `began` is `None` for a contact that lands now, or that hovers: then only where it is counts.
    pub(super) fn having(
        &self,
        place: [f32; 2],
        proportion: f32,
        began: Option<ZoneSet>,
        closed: ZoneSet,
    ) -> ZoneSet {
        let has = match began {
            Some(began) => {
                let here = self.here(place, proportion, |id| self.following.has(id));
                here.and(self.following).or(began.without(self.following))
            }
            None => self.here(place, proportion, |_| true),
        };
        self.down_to_taking(has.without(closed))
    }

    /// The rectangles that a place is in, and those of the other outlines that are `asked`; of the
    /// zones that can have a contact.
    #[inline]
    fn here(&self, place: [f32; 2], proportion: f32, asked: impl Fn(ZoneId) -> bool) -> ZoneSet {
        let [x, y] = within_last(place);
        let [columns, rows] = &self.spans;
        let mut here = columns.holding(x).and(rows.holding(y));
        for &id in self.shaped.iter().filter(|&&id| asked(id)) {
            if self.zones[id.index()].outline.contains(place, proportion) {
                here = here.with(id);
            }
        }
        here
    }

    /// Those of these zones that are above the highest one that takes what it has, and that one.
    #[inline]
    fn down_to_taking(&self, these: ZoneSet) -> ZoneSet {
        if !these.meets(self.taking) {
            return these;
        }
        let mut having = ZoneSet::EMPTY;
        for &id in self.order.iter().filter(|&&id| these.has(id)) {
            having = having.with(id);
            if self.taking.has(id) {
                break;
            }
        }
        having
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::Keyword;
    use crate::spec::{Claim, Outline, Surface, Zone, crosses_itself};
    use proptest::prelude::*;
    use rstest::rstest;
    use std::vec;

    fn rect(at: [f32; 2], size: [f32; 2]) -> Outline {
        Outline::Rect { at, size }
    }

    fn zone(layer: i32, claim: Claim, outline: Outline) -> Zone {
        Zone { layer, claim, ..Zone::new("", outline) }
    }

    #[rstest]
    #[case::inside(rect([0.2, 0.2], [0.2, 0.2]), [0.3, 0.3], true)]
    #[case::on_its_left_edge(rect([0.2, 0.2], [0.2, 0.2]), [0.2, 0.3], true)]
    #[case::on_its_right_edge(rect([0.25, 0.2], [0.25, 0.2]), [0.5, 0.3], false)]
    #[case::on_the_right_edge_of_the_panel(rect([0.9, 0.9], [0.1, 0.1]), [1.0, 1.0], true)]
    #[case::beyond_the_panel(rect([0.9, 0.9], [0.1, 0.1]), [1.01, 0.95], false)]
    #[case::round_on_a_wide_surface(
        Outline::Circle { centre: [0.5, 0.5], radius: 0.2 }, [0.5, 0.85], true)]
    #[case::but_no_further(Outline::Circle { centre: [0.5, 0.5], radius: 0.2 }, [0.5, 0.95], false)]
    #[case::in_a_triangle(Outline::Polygon(vec![[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), [0.3, 0.3], true)]
    #[case::beside_it(Outline::Polygon(vec![[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), [0.6, 0.6], false)]
    fn outlines_by_hand(#[case] outline: Outline, #[case] place: [f32; 2], #[case] inside: bool) {
        // Twice as wide as high.
        assert_eq!(outline.contains(place, 0.5), inside);
    }

    #[rstest]
    #[case(&[[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]], false)]
    #[case(&[[0.0, 0.0], [1.0, 1.0], [1.0, 0.0], [0.0, 1.0]], true)]
    fn a_bow_tie_crosses_itself(#[case] corners: &[[f32; 2]], #[case] crosses: bool) {
        assert_eq!(crosses_itself(corners), crosses);
    }

    fn on_panel(zones: &[Zone]) -> Zones {
        Zones::new(zones, &Surface::default())
    }

    #[test]
    fn the_whole_stack_is_named_and_who_has_the_contact() {
        let all = rect([0.0, 0.0], [1.0, 1.0]);
        let zones = on_panel(&[
            zone(0, Claim::Take, all.clone()),
            zone(3, Claim::Pass, all.clone()),
            zone(2, Claim::Share, all.clone()),
            zone(1, Claim::Take, all.clone()),
            zone(9, Claim::Take, rect([0.0, 0.0], [0.1, 0.1])),
        ]);
        let under: Vec<ZoneId> = zones.under([0.5, 0.5], 1.0).collect();
        assert_eq!(under, [1, 2, 3, 0].map(ZoneId));
        assert_eq!(
            zones.having([0.5, 0.5], 1.0, None, ZoneSet::EMPTY),
            [ZoneId(2), ZoneId(3)].into_iter().collect()
        );
    }

    proptest! {
        /// A polygon with the corners of a rectangle is that rectangle.
        #[test]
        fn a_polygon_of_four_corners_is_a_rectangle(
            x in 0.0f32..0.5, y in 0.0f32..0.5, w in 0.01f32..0.5, h in 0.01f32..0.5,
            px in 0.0f32..1.0, py in 0.0f32..1.0,
        ) {
            let polygon = Outline::Polygon(vec![[x, y], [x + w, y], [x + w, y + h], [x, y + h]]);
            let rect = rect([x, y], [w, h]);
            prop_assert_eq!(polygon.contains([px, py], 1.0), rect.contains([px, py], 1.0));
        }

        /// Whatever lies over each other, a contact is taken at most once, and
        /// nothing below the one that took it has it.
        #[test]
        fn a_contact_is_taken_once(
            layers in prop::collection::vec((-3i32..3, 0usize..3), 0..64), x in 0.0f32..1.0,
        ) {
            let zones: Vec<Zone> = layers
                .iter()
                .map(|&(layer, n)| zone(layer, Claim::ALL[n], rect([0.0, 0.0], [0.9, 1.0])))
                .collect();
            let asked = on_panel(&zones);
            let under: Vec<ZoneId> = asked.under([x, 0.5], 1.0).collect();
            let bits = asked.having([x, 0.5], 1.0, None, ZoneSet::EMPTY);
            let has = |id: &ZoneId| bits.has(*id);
            let of = |id: &ZoneId| &zones[id.index()];
            let by_layer = under.windows(2).all(|two| of(&two[0]).layer >= of(&two[1]).layer);
            prop_assert!(by_layer);
            let is_taker = |id: &ZoneId| of(id).claim == Claim::Take;
            let end = under.iter().position(is_taker).map_or(under.len(), |at| at + 1);
            let (above, below) = under.split_at(end);
            prop_assert!(above.iter().all(|id| has(id) == (of(id).claim != Claim::Pass)));
            prop_assert!(!below.iter().any(has));
            prop_assert!(ZoneId::first(zones.len()).filter(has).all(|id| under.contains(&id)));
        }
    }
}
