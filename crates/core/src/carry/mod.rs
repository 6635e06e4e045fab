//! What becomes of passes when the things that they name become others: with another kit, in another part or song, where
//! bars move, under new ids.
//!
//! Each way is a [`Carrier`](crate::recipe::names::Carrier), which is shown all that a pass names; no pass is taken along
//! otherwise. What an aim names is told by `Aim::names`, which takes itself apart field by field; what an action names by
//! `Act::names`, which every action has to have. So neither a new condition nor a new action can be forgotten.

mod bars;
mod kits;
mod parts;
mod pockets;
mod songs;

pub use parts::{Regrouped, Regrouping, join};
