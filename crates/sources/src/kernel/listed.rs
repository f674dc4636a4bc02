//! Contacts of a panel that does not number them: it lists them in every packet,
//! one after the other (protocol A of `Documentation/input/multi-touch-protocol.rst`).
//!
//! Which of them is which is found here: by the tracking id, where the panel gives
//! one, otherwise each is the nearest of those that were there.

/// A contact as a packet lists it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Touch {
    pub(super) id: Option<i32>,
    pub(super) x: Option<i32>,
    pub(super) y: Option<i32>,
    /// What else the layout has of a contact, in its order.
    pub(super) extras: Vec<Option<i32>>,
}

impl Touch {
    fn place(&self) -> Option<[i64; 2]> {
        Some([i64::from(self.x?), i64::from(self.y?)])
    }
}

/// What became of a slot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum SlotNews {
    /// Its contact is gone.
    Gone,
    /// It has a contact that it did not have before.
    New(Touch),
    /// Its contact goes on.
    Goes(Touch),
}

/// The contacts that are there, each at the place of a slot.
#[derive(Debug, Default)]
pub(super) struct Listed {
    there: Vec<Option<Touch>>,
    /// The one that is being spoken of, and those before it in the packet.
    now: Touch,
    packet: Vec<Touch>,
    /// Whether the packet speaks of contacts at all.
    has_list: bool,
}

impl Listed {
    pub(super) fn new(slots: usize) -> Self {
        Listed { there: vec![None; slots], ..Listed::default() }
    }

    /// The contact that is being spoken of.
    pub(super) fn touch(&mut self) -> &mut Touch {
        &mut self.now
    }

    /// All of the contact has been told; one without a place does not count.
    pub(super) fn next(&mut self) {
        self.has_list = true;
        let touch = std::mem::take(&mut self.now);
        if touch.place().is_some() {
            self.packet.push(touch);
        }
    }

    /// The packet is over: what became of slots, nothing if it did not speak of
    /// contacts; and whether there was no room for some.
    pub(super) fn close(&mut self) -> (Vec<(usize, SlotNews)>, bool) {
        self.now = Touch::default();
        let touches = std::mem::take(&mut self.packet);
        if !std::mem::take(&mut self.has_list) {
            return (Vec::new(), false);
        }
        let mut slot_of: Vec<Option<usize>> = vec![None; touches.len()];
        let mut is_taken = vec![false; self.there.len()];
        for (slot, touch) in self.pairs(&touches) {
            if slot_of[touch].is_none() && !is_taken[slot] {
                (slot_of[touch], is_taken[slot]) = (Some(slot), true);
            }
        }
        let mut news = Vec::new();
        for (slot, there) in self.there.iter_mut().enumerate() {
            if !is_taken[slot] && there.take().is_some() {
                news.push((slot, SlotNews::Gone));
            }
        }
        let mut is_full = false;
        for (touch, slot) in touches.into_iter().zip(slot_of) {
            let free = || (0..is_taken.len()).find(|&slot| !is_taken[slot]);
            let Some(at) = slot.or_else(free) else {
                is_full = true;
                continue;
            };
            is_taken[at] = true;
            self.there[at] = Some(touch.clone());
            let is = if slot.is_some() { SlotNews::Goes } else { SlotNews::New };
            news.push((at, is(touch)));
        }
        (news, is_full)
    }

    /// Slots and contacts that may be the same, the likeliest first.
    fn pairs(&self, touches: &[Touch]) -> Vec<(usize, usize)> {
        let mut pairs = Vec::new();
        for (slot, was) in self.there.iter().enumerate() {
            let Some(was) = was else { continue };
            for (n, touch) in touches.iter().enumerate() {
                match (was.id, touch.id) {
                    (Some(was), Some(is)) if was == is => pairs.push((-1, slot, n)),
                    (None, None) => pairs.push((distance(was, touch), slot, n)),
                    _ => {}
                }
            }
        }
        pairs.sort_unstable();
        pairs.into_iter().map(|(_, slot, n)| (slot, n)).collect()
    }
}

/// The square of the distance between two contacts.
fn distance(a: &Touch, b: &Touch) -> i128 {
    let (Some([ax, ay]), Some([bx, by])) = (a.place(), b.place()) else { return i128::MAX };
    let square = |d: i64| i128::from(d) * i128::from(d);
    square(ax - bx) + square(ay - by)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    type Place = (Option<i32>, i32, i32);

    /// Packets of contacts; which slots they are in after each, and which slots are
    /// said to hold another one.
    fn run(packets: &[Vec<Place>]) -> Vec<Vec<(usize, i32, bool)>> {
        let mut listed = Listed::new(3);
        let packet = |places: &Vec<Place>| {
            for &(id, x, y) in places {
                let extras = Vec::new();
                *listed.touch() = Touch { id, x: Some(x), y: Some(y), extras };
                listed.next();
            }
            if places.is_empty() {
                listed.next();
            }
            let (news, _) = listed.close();
            let there = news.into_iter().filter_map(|(slot, is)| match is {
                SlotNews::Gone => None,
                SlotNews::New(touch) => Some((slot, touch.x.unwrap(), true)),
                SlotNews::Goes(touch) => Some((slot, touch.x.unwrap(), false)),
            });
            there.collect()
        };
        packets.iter().map(packet).collect()
    }

    #[rstest]
    #[case::one_that_moves(
        vec![vec![(None, 10, 0)], vec![(None, 14, 0)]], vec![vec![(0, 10, true)], vec![(0, 14, false)]])]
    #[case::in_another_order(
        vec![vec![(None, 10, 0), (None, 90, 0)], vec![(None, 88, 0), (None, 12, 0)]],
        vec![vec![(0, 10, true), (1, 90, true)], vec![(1, 88, false), (0, 12, false)]])]
    #[case::the_first_one_lifts(
        vec![vec![(None, 10, 0), (None, 90, 0)], vec![(None, 91, 0)], vec![(None, 92, 0), (None, 5, 0)]],
        vec![vec![(0, 10, true), (1, 90, true)], vec![(1, 91, false)], vec![(1, 92, false), (0, 5, true)]])]
    #[case::ids_say_more_than_places(
        vec![vec![(Some(7), 10, 0), (Some(8), 90, 0)], vec![(Some(8), 11, 0), (Some(7), 89, 0)]],
        vec![vec![(0, 10, true), (1, 90, true)], vec![(1, 11, false), (0, 89, false)]])]
    #[case::another_id_is_another_finger(
        vec![vec![(Some(7), 10, 0)], vec![(Some(8), 10, 0)]], vec![vec![(0, 10, true)], vec![(0, 10, true)]])]
    #[case::all_lift(vec![vec![(None, 10, 0)], vec![], vec![(None, 10, 0)]], vec![vec![(0, 10, true)], vec![], vec![(0, 10, true)]])]
    fn each_is_the_one_it_was(
        #[case] packets: Vec<Vec<Place>>,
        #[case] expected: Vec<Vec<(usize, i32, bool)>>,
    ) {
        assert_eq!(run(&packets), expected);
    }

    #[test]
    fn there_is_room_for_so_many() {
        let mut listed = Listed::new(1);
        for x in [1, 2] {
            *listed.touch() = Touch { x: Some(x), y: Some(0), ..Touch::default() };
            listed.next();
        }
        let (news, is_full) = listed.close();
        assert_eq!((news.len(), is_full), (1, true));
        // A packet that says nothing of contacts changes none.
        assert_eq!(listed.close(), (Vec::new(), false));
    }
}
