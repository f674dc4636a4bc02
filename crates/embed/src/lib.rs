//! Green Trigger in a game.
//!
//! A game makes an [`Input`] of its rig, tells it what its devices report, runs a
//! [frame](Input::frame) as often as it likes, and asks its actions by handles that it got once
//! by name. Every loop of the game that reads presses has a [`Reader`] of its own: a variable
//! frame, a fixed step and a menu each see every press once, however often each of them looks.
//!
//! ```
//! use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Nanos};
//! use gtrig_embed::Input;
//!
//! let rig = gtrig_formats::rig::parse("game.toml", r#"
//!     rig = 1
//!     [action.horn]
//!     gives = "on"
//!     from = "pad/south"
//!     [action.slew]
//!     gives = "axis"
//!     from = { axis = "pad/stick-l-x", dead-zone = 0.1 }
//! "#)?;
//! let mut input = Input::new(rig);
//! // Once: what the game asks for, by name.
//! let (horn, slew) = (input.action("horn").unwrap(), input.action("slew").unwrap());
//! let mut step = input.reader();
//!
//! // A device is there. What it reports is told with its time, by any monotonic clock.
//! let pad = input.plug(
//!     DeviceInfo {
//!         identity: "usb-1".into(),
//!         kind: DeviceKind::Pad,
//!         name: CleanText::new("pad"),
//!         bus: CleanText::default(),
//!         slot: None,
//!         controls: vec![
//!             ControlInfo::new("south", ControlKind::Button),
//!             ControlInfo::new("stick-l-x", ControlKind::Axis { min: -100, centre: 0, max: 100 }),
//!         ],
//!     },
//!     Nanos(0),
//! )?;
//! let south = input.control(pad, "south").unwrap();
//! let stick = input.control(pad, "stick-l-x").unwrap();
//! input.frame(Nanos(0));
//! input.feed(Nanos::from_millis(3), &[(south, 1), (stick, 55)]);
//!
//! // Each frame.
//! input.frame(Nanos::from_millis(16));
//! assert!(input.is_on(horn) && (input.value(slew) - 0.5).abs() < 1e-6);
//!
//! // In each fixed step: what was pressed since the step before, and how far things went.
//! let news = step.look(&input);
//! assert_eq!(news.presses(horn), 1);
//! let degrees = 90.0 * news.way(slew)[0];
//! assert!(degrees > 0.0);
//! assert_eq!(step.look(&input).presses(horn), 0);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Features
//!
//! - `compiled` (on): rigs in their [compiled] form, for a game that ships no parser.
//!   `gtrig compile game.toml game.rig` writes one. A game that reads texts uses
//!   `gtrig_formats::rig::parse`, as above.
//! - `trace` (off): an input that keeps what happened in the last seconds, for debug builds:
//!   see `Trace`.
//!
//! Like the core it is `no_std`, and a frame allocates nothing: there is room for
//! [`WAITING`] reports at once, and more are taken in with an allocation.
#![no_std]

extern crate alloc;
#[cfg(test)]
extern crate std;

#[cfg(feature = "compiled")]
pub mod compiled;
mod input;
mod reader;
#[cfg(feature = "trace")]
mod trace;

pub use input::{Action, Control, Input, OtherActions, WAITING};
pub use reader::{News, Reader};
#[cfg(feature = "trace")]
pub use trace::Trace;
