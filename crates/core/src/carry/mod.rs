//! What becomes of passes when the things that they name become others.

mod bars;
mod kits;
mod parts;
mod pockets;
mod songs;

pub use parts::{Regrouped, Regrouping, join};
