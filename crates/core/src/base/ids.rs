//! The numbers by which a run knows things. Each counts from 0, in the order in
//! which a roster or a rig lists what it numbers.
//!
//! An id is worth something only beside the roster, the rig or the plan that gave it: two
//! rigs number their actions alike, and mean others.
//!
//! ```
//! use gtrig_core::ActionId;
//!
//! // The third action of a rig.
//! let third = ActionId::at(2);
//! assert_eq!((third, third.index()), (ActionId(2), 2));
//! assert_eq!(ActionId::first(3).last(), Some(third));
//! ```

/// A number that is an index into tables of its kind.
///
/// What holds a set or a table of ids needs no more of them than this.
pub trait Id: Copy + Eq {
    /// The number as an index.
    fn index(self) -> usize;
}

/// Numbers of things, each a type of its own, so that none is taken for another.
macro_rules! ids {
    ($($(#[$doc:meta])+ $name:ident($number:ty);)+) => {$(
        $(#[$doc])+
        #[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
        pub struct $name(pub $number);

        impl $name {
            /// As an index into tables of its kind.
            #[inline]
            pub const fn index(self) -> usize {
                self.0 as usize
            }

            /// The id of what stands at a place of a list, from 0. The place
            /// must fit into the number of the id: the code that fills the list
            /// makes sure of that.
            #[inline]
            pub const fn at(place: usize) -> Self {
                $name(place as $number)
            }

            /// The numbers of the first `count`, in order.
            pub fn first(count: usize) -> impl DoubleEndedIterator<Item = $name> + Clone {
                (0..count).map($name::at)
            }
        }

        impl Id for $name {
            #[inline]
            fn index(self) -> usize {
                self.0 as usize
            }
        }
    )+};
}

ids! {
    /// A device of a session, in the order of arrival.
    DeviceId(u16);
    /// A control of a session, over all its devices.
    ControlId(u16);
    /// An action of a rig; see [`Rig::actions`](crate::Rig::actions).
    ActionId(u16);
    /// A shape of a rig; see [`Rig::shapes`](crate::Rig::shapes).
    ShapeId(u16);
    /// A zone of a rig; see [`Rig::zones`](crate::Rig::zones).
    ZoneId(u8);
    /// A sign of a rig; see [`Rig::signs`](crate::Rig::signs).
    SignId(u16);
    /// A gesture of a rig; see [`Rig::gestures`](crate::Rig::gestures).
    GestureId(u16);
    /// A signal of a rig; see [`Rig::signals`](crate::Rig::signals).
    SignalId(u16);
    /// A combo of a rig; see [`Rig::combos`](crate::Rig::combos).
    ComboId(u16);
    /// A mode of a rig; see [`Rig::modes`](crate::Rig::modes).
    ModeId(u8);
    /// A contact of a plan; see [`Plan::contacts`](crate::Plan::contacts).
    ContactId(u16);
    /// One way to drive an action, in the order of a plan.
    InputId(u32);
}
