//! The addresses that were heard, for a person to choose controls from.

use gtrig_core::{AddressMap, CleanText, Nanos};
use gtrig_formats::osc::{OscMessage, is_address, number};
use gtrig_sources::AddressHeard;
use std::{
    collections::HashMap,
    sync::{Mutex, MutexGuard, PoisonError},
};

/// So many arguments under addresses are listed.
pub const MAX_HEARD: usize = 512;

/// Of a message so many arguments are listed.
const MAX_ARGUMENTS: usize = 8;

/// What was heard, over all ports.
#[derive(Debug, Default)]
pub(crate) struct HeardList(Mutex<Heard>);

#[derive(Debug, Default)]
struct Heard {
    list: Vec<AddressHeard>,
    /// Where in the list the arguments of an address are.
    places: HashMap<String, Vec<usize>>,
}

impl HeardList {
    fn heard(&self) -> MutexGuard<'_, Heard> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Everything that was heard, in the order in which it came first, with the controls
    /// that it is by this map. `zero` is the monotonic clock at instant 0 of the session.
    pub(crate) fn all(&self, map: &AddressMap, zero: Nanos) -> Vec<AddressHeard> {
        let mut list = self.heard().list.clone();
        let mut names = HashMap::new();
        for (device, _, control) in map.at(|_| true) {
            let place = (control.address.as_str(), control.argument);
            names.entry(place).or_insert((&map.devices[device].id, &control.code));
        }
        for of in &mut list {
            let name = names.get(&(of.address.as_str(), of.argument));
            of.moved = Nanos(of.moved.0.saturating_sub(zero.0));
            of.control = name.map(|(device, code)| format!("{device}/{code}"));
        }
        list
    }

    /// Notes a message.
    pub(super) fn note(&self, message: &OscMessage, from: &str, time: Nanos) {
        let heard = &mut *self.heard();
        // A message without arguments is one pulse.
        let count = message.args.len().clamp(1, MAX_ARGUMENTS);
        if !heard.places.contains_key(&message.addr) {
            if heard.list.len() >= MAX_HEARD || !is_address(&message.addr) {
                return;
            }
            heard.places.insert(message.addr.clone(), Vec::new());
        }
        let Some(places) = heard.places.get_mut(&message.addr) else { return };
        for at in 0..count {
            let number = message.args.get(at).and_then(number).filter(|n| n.is_finite());
            let Some(place) = places.get(at) else {
                if heard.list.len() == MAX_HEARD {
                    return;
                }
                places.push(heard.list.len());
                heard.list.push(AddressHeard {
                    address: CleanText::new(&message.addr),
                    argument: at as u8,
                    has_arguments: !message.args.is_empty(),
                    control: None,
                    from: from.to_owned(),
                    last: number,
                    range: number.map(|n| [n, n]),
                    is_whole: number.is_none_or(|n| n.fract() == 0.0),
                    messages: 1,
                    moved: time,
                });
                continue;
            };
            let of = &mut heard.list[*place];
            of.messages += 1;
            if of.last != number || number.is_none() {
                of.moved = time;
            }
            of.last = number;
            if let Some(n) = number {
                let [least, most] = of.range.unwrap_or([n, n]);
                of.range = Some([least.min(n), most.max(n)]);
                of.is_whole &= n.fract() == 0.0;
            }
            if of.from != from {
                from.clone_into(&mut of.from);
            }
        }
    }
}
