//! Zones on a touch surface, and which of them has which contact.
//!
//! Places are shares of the surface: x from 0 at the left to 1 at the right, y
//! from 0 at the top to 1 at the bottom. A circle is round on the surface, not
//! in shares, so it needs the surface's proportion. A zone may be measured in
//! another space (see [`surface`](crate::surface)); it is brought to shares
//! when the rig is bound.

use crate::{
    Contact, Event, Marks, Nanos,
    gesture::ContactUpdate,
    surface::{Anchor, Space, SpaceMap, Surface},
};
use alloc::{string::String, vec::Vec};

/// A rig has at most this many zones: a contact keeps a bit for each.
pub const MAX_ZONES: usize = 64;

/// A part of a touch surface.
#[derive(Clone, Debug, PartialEq)]
pub struct Zone {
    /// Its name.
    pub name: String,
    /// Where it is, in its space.
    pub outline: Outline,
    /// What its outline is measured in.
    pub space: Space,
    /// And from which corner.
    pub anchor: Anchor,
    /// Of zones that lie over each other the one with the higher layer is asked
    /// first; of equals the one that the rig names first.
    pub layer: i32,
    /// What it does with a contact.
    pub claim: Claim,
    /// Whether it has the contacts that are on it now, instead of those that
    /// began on it: sliding in presses, sliding out releases.
    pub follows: bool,
    /// Actions, by their place in the rig, that close it while they are on: then
    /// it is as if it were not there.
    pub closed_while: Vec<usize>,
    /// Actions without which it is closed.
    pub open_while: Vec<usize>,
}

impl Zone {
    /// A zone that takes what begins on it; in shares of the panel.
    pub fn new(name: &str, outline: Outline) -> Self {
        Zone {
            name: name.into(),
            outline,
            space: Space::Panel,
            anchor: Anchor::default(),
            layer: 0,
            claim: Claim::Take,
            follows: false,
            closed_while: Vec::new(),
            open_while: Vec::new(),
        }
    }

    /// From its own numbers to shares of the panel.
    pub fn to_panel(&self, surface: &Surface) -> Option<SpaceMap> {
        surface.from_corner(self.space, self.anchor)
    }
}

/// Where a zone is.
#[derive(Clone, Debug, PartialEq)]
pub enum Outline {
    /// A rectangle; its left and top edges belong to it.
    Rect {
        /// Left and top.
        at: [f32; 2],
        /// Width and height.
        size: [f32; 2],
    },
    /// A circle; its rim belongs to it.
    Circle {
        /// Its centre.
        centre: [f32; 2],
        /// Its radius; in shares that of the width.
        radius: f32,
    },
    /// The inside of a closed line, by the even-odd rule.
    Polygon(Vec<[f32; 2]>),
}

/// What a zone does with a contact on it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Claim {
    /// Has it, and no zone below does.
    #[default]
    Take,
    /// Has it, and so may the zones below.
    Share,
    /// Leaves it to the zones below.
    Pass,
}

impl Claim {
    /// Every claim, in the order they are listed to people.
    pub const ALL: [Claim; 3] = [Claim::Take, Claim::Share, Claim::Pass];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            Claim::Take => "take",
            Claim::Share => "share",
            Claim::Pass => "pass",
        }
    }
}

impl Outline {
    /// The same by another measure.
    pub fn mapped(&self, map: &SpaceMap) -> Outline {
        match self {
            Outline::Rect { at, size } => {
                let near = map.place(*at);
                let far = map.place([at[0] + size[0], at[1] + size[1]]);
                let at = [near[0].min(far[0]), near[1].min(far[1])];
                Outline::Rect { at, size: map.size(*size) }
            }
            Outline::Circle { centre, radius } => {
                let [radius, _] = map.size([*radius; 2]);
                Outline::Circle { centre: map.place(*centre), radius }
            }
            Outline::Polygon(corners) => {
                Outline::Polygon(corners.iter().map(|&corner| map.place(corner)).collect())
            }
        }
    }

    /// The place by which it is moved: left and top, the centre, or the first
    /// corner.
    pub fn handle(&self) -> [f32; 2] {
        match self {
            Outline::Rect { at, .. } => *at,
            Outline::Circle { centre, .. } => *centre,
            Outline::Polygon(corners) => corners.first().copied().unwrap_or([0.0; 2]),
        }
    }

    /// The same outline with its handle at another place.
    #[must_use]
    pub fn moved_to(&self, place: [f32; 2]) -> Outline {
        let from = self.handle();
        let by = [place[0] - from[0], place[1] - from[1]];
        let moved = |[x, y]: [f32; 2]| [x + by[0], y + by[1]];
        match self {
            Outline::Rect { size, .. } => Outline::Rect { at: place, size: *size },
            Outline::Circle { radius, .. } => Outline::Circle { centre: place, radius: *radius },
            Outline::Polygon(corners) => {
                Outline::Polygon(corners.iter().map(|&corner| moved(corner)).collect())
            }
        }
    }

    /// The same outline, as large that its lower right corner or its rim is at a
    /// place; a polygon stays as it is, and nothing becomes smaller than `least`.
    #[must_use]
    pub fn stretched_to(&self, place: [f32; 2], least: f32) -> Outline {
        match self {
            Outline::Rect { at, .. } => {
                let size = [0, 1].map(|axis| (place[axis] - at[axis]).max(least));
                Outline::Rect { at: *at, size }
            }
            Outline::Circle { centre, .. } => {
                let [dx, dy] = [place[0] - centre[0], place[1] - centre[1]];
                let radius = libm::sqrtf(dx * dx + dy * dy).max(least);
                Outline::Circle { centre: *centre, radius }
            }
            Outline::Polygon(_) => self.clone(),
        }
    }

    /// The smallest rectangle around it: left, top, right and bottom; on a
    /// surface `proportion` times as high as wide.
    pub fn bounds(&self, proportion: f32) -> [f32; 4] {
        match self {
            Outline::Rect { at, size } => [at[0], at[1], at[0] + size[0], at[1] + size[1]],
            Outline::Circle { centre: [x, y], radius } => {
                let high = radius / proportion;
                [x - radius, y - high, x + radius, y + high]
            }
            Outline::Polygon(corners) => {
                let none = [f32::INFINITY, f32::INFINITY, f32::NEG_INFINITY, f32::NEG_INFINITY];
                corners.iter().fold(none, |[left, top, right, bottom], [x, y]| {
                    [left.min(*x), top.min(*y), right.max(*x), bottom.max(*y)]
                })
            }
        }
    }

    /// Whether a place lies in it, on a surface `proportion` times as high as
    /// wide.
    pub fn contains(&self, [x, y]: [f32; 2], proportion: f32) -> bool {
        match self {
            Outline::Rect { at, size } => {
                (at[0]..at[0] + size[0]).contains(&x) && (at[1]..at[1] + size[1]).contains(&y)
            }
            Outline::Circle { centre, radius } => {
                let (dx, dy) = (x - centre[0], (y - centre[1]) * proportion);
                dx * dx + dy * dy <= radius * radius
            }
            Outline::Polygon(corners) => {
                let edges = corners.iter().zip(corners.iter().cycle().skip(1));
                // A line to the right crosses the border an odd number of times.
                let crosses = |(from, to): &(&[f32; 2], &[f32; 2])| {
                    (from[1] > y) != (to[1] > y)
                        && x < (to[0] - from[0]) * (y - from[1]) / (to[1] - from[1]) + from[0]
                };
                edges.filter(crosses).count() % 2 == 1
            }
        }
    }
}

/// Whether the line through `corners`, closed, crosses itself.
pub fn crosses_itself(corners: &[[f32; 2]]) -> bool {
    let edge = |n: usize| (corners[n], corners[(n + 1) % corners.len()]);
    let turn = |a: [f32; 2], b: [f32; 2], c: [f32; 2]| {
        (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    };
    let crosses = |(a, b): ([f32; 2], [f32; 2]), (c, d): ([f32; 2], [f32; 2])| {
        turn(a, b, c) * turn(a, b, d) < 0.0 && turn(c, d, a) * turn(c, d, b) < 0.0
    };
    (0..corners.len()).any(|n| (n + 1..corners.len()).any(|m| crosses(edge(n), edge(m))))
}

/// The zones of a rig, in the order in which they are asked.
#[derive(Clone, Debug, Default)]
pub struct Zones {
    zones: Vec<Zone>,
    order: Vec<u8>,
    /// A bit for each zone that follows.
    following: u64,
    /// A bit for each zone that takes what it has.
    taking: u64,
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
        let mut order: Vec<u8> = (0..zones.len() as u8).collect();
        order.sort_by_key(|&n| core::cmp::Reverse(zones[usize::from(n)].layer));
        let those = |is: fn(&Zone) -> bool| {
            let of = zones.iter().enumerate().filter(|(_, zone)| is(zone));
            of.fold(0, |bits, (n, _)| bits | 1 << n)
        };
        let following = those(|zone| zone.follows);
        let taking = those(|zone| zone.claim == Claim::Take);
        Zones { zones, order, following, taking }
    }

    /// The zones with their outlines in shares of the panel, in the order of the
    /// rig.
    pub fn on_panel(&self) -> &[Zone] {
        &self.zones
    }

    /// The zones under a place by their numbers in the rig, the one that is asked
    /// first in front.
    pub fn under(&self, place: [f32; 2], proportion: f32) -> impl Iterator<Item = usize> {
        let order = self.order.iter().map(|&n| usize::from(n));
        order.filter(move |&n| self.zones[n].outline.contains(place, proportion))
    }

    /// A bit for each zone that has a contact at a place, of which those that
    /// `began` with it keep it, wherever it goes. A zone that does not follow
    /// and did not begin with it does not stand in its way either, nor does one
    /// that is `closed`.
    fn having(&self, place: [f32; 2], proportion: f32, began: Option<u64>, closed: u64) -> u64 {
        let mut having = 0;
        for n in self.order.iter().map(|&n| usize::from(n)) {
            let zone = &self.zones[n];
            let is_asked = match began {
                Some(began) if !zone.follows => began >> n & 1 != 0,
                _ => zone.outline.contains(place, proportion),
            };
            if !is_asked || zone.claim == Claim::Pass || closed >> n & 1 != 0 {
                continue;
            }
            having |= 1 << n;
            if zone.claim == Claim::Take {
                break;
            }
        }
        having
    }
}

/// A contact, as zones and gestures see it; a bit for each zone.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct ContactState {
    is_down: bool,
    /// Those that got it where it began, and keep it.
    began: u64,
    /// Those that have it at this tick, and had it at the tick before.
    has: u64,
    had: u64,
    pub(crate) is_due: bool,
    /// When it was last reported on, put down and lifted.
    reported: Nanos,
    landed: Nanos,
    lifted: Nanos,
    /// Whether its panel took it back instead of seeing it lift.
    is_taken_back: bool,
    /// The landing that was seen last: another one may come between two polls.
    seen_landing: Nanos,
}

impl ContactState {
    /// Ends the tick before.
    pub(crate) fn age(&mut self) {
        self.had = self.has;
    }

    /// Hears a report about one of its controls.
    pub(crate) fn hear(&mut self, contact: &Contact, event: &Event) {
        self.reported = event.time;
        match event.control == contact.down {
            true if event.value == 0 => {
                self.lifted = event.time;
                self.is_taken_back = event.marks.contains(Marks::CANCELLED);
            }
            // Saying again that it is down is no landing.
            true if self.lifted >= self.landed => self.landed = event.time,
            _ => {}
        }
    }

    /// Moves it to a place, or lifts it, while these zones are closed.
    fn follow(&mut self, zones: &Zones, place: Option<([f32; 2], f32)>, closed: u64) {
        // What was held must land again when a zone opens again.
        self.began &= !closed;
        let began = self.is_down.then_some(self.began);
        self.has =
            place.map_or(0, |(place, proportion)| zones.having(place, proportion, began, closed));
        if place.is_some() && !self.is_down {
            self.began = self.has & !zones.following;
        }
        self.is_down = place.is_some();
    }

    /// The same for a poll at the instant `now`. Returns the bits of the zones that
    /// get it or lose it, and what gestures want to know of it. One that was lifted and put down again between two polls is
    /// a new one.
    pub(crate) fn poll(
        &mut self,
        zones: &Zones,
        (contact, n): (&Contact, u16),
        raw: [f32; 2],
        (is_down, closed, now): (bool, u64, Nanos),
    ) -> (u64, ContactUpdate) {
        let (was_down, was) = (self.is_down, self.has);
        let place = contact.turn.apply(raw);
        let is_another = was_down && is_down && self.landed > self.seen_landing;
        let is_lifted = was_down && (!is_down || is_another);
        let is_gone = is_lifted && self.lifted < self.seen_landing;
        if is_gone {
            self.lifted = now;
        }
        let is_broken = is_gone || (is_lifted && self.is_taken_back);
        if is_another {
            self.follow(zones, None, closed);
            self.had = 0;
        }
        self.follow(zones, is_down.then_some((place, contact.proportion())), closed);
        let changed = (was ^ self.has) | if is_another { self.has } else { 0 };
        let is_landing = is_down && (!was_down || is_another);
        if is_landing {
            self.seen_landing = self.landed;
        }
        let news = ContactUpdate {
            contact: n,
            lifted: is_lifted.then_some(self.lifted),
            is_broken,
            landed: is_landing.then_some(self.landed),
            place: [place[0] * contact.size[0], place[1] * contact.size[1]],
            at: self.reported,
            zones: self.has,
            is_taken: self.has & zones.taking != 0,
        };
        (changed, news)
    }

    pub(crate) const fn is_down(&self) -> bool {
        self.is_down
    }

    pub(crate) const fn is_in(&self, zone: u8) -> bool {
        self.has >> zone & 1 != 0
    }

    /// Whether it is in any of these zones, a bit each.
    pub(crate) const fn is_in_any(&self, zones: u64) -> bool {
        self.has & zones != 0
    }

    pub(crate) const fn was_in(&self, zone: u8) -> bool {
        self.had >> zone & 1 != 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
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
        let under: Vec<usize> = zones.under([0.5, 0.5], 1.0).collect();
        assert_eq!(under, [1, 2, 3, 0]);
        assert_eq!(zones.having([0.5, 0.5], 1.0, None, 0), 1 << 2 | 1 << 3);
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
            let under: Vec<usize> = asked.under([x, 0.5], 1.0).collect();
            let bits = asked.having([x, 0.5], 1.0, None, 0);
            let has = |n: &usize| bits >> n & 1 != 0;
            let by_layer = under.windows(2).all(|two| zones[two[0]].layer >= zones[two[1]].layer);
            prop_assert!(by_layer);
            let is_taker = |n: &usize| zones[*n].claim == Claim::Take;
            let end = under.iter().position(is_taker).map_or(under.len(), |at| at + 1);
            let (above, below) = under.split_at(end);
            prop_assert!(above.iter().all(|n| has(n) == (zones[*n].claim != Claim::Pass)));
            prop_assert!(!below.iter().any(has));
            prop_assert!((0..zones.len()).filter(has).all(|n| under.contains(&n)));
        }
    }
}
