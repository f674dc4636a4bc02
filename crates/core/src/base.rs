//! What everything else is made of: time, the numbers of things, sets of them,
//! text, vectors.

mod ids;
mod text;
mod time;
mod vector;

pub use ids::*;
pub use text::*;
pub use time::*;
pub use vector::*;
