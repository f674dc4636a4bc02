//! What everything else is made of: time, the numbers of things, sets and tables
//! of them, text, vectors.
//!
//! Nothing here knows of devices or rigs; everything above is made of it.

mod action;
mod ids;
mod keyword;
mod set;
mod sifted;
mod table;
mod text;
mod time;
mod vector;

pub use action::*;
pub use ids::*;
pub use keyword::*;
pub use set::*;
pub(crate) use sifted::*;
pub(crate) use table::*;
pub use text::*;
pub use time::*;
pub use vector::*;
