//! All tests of this crate in one program, which is linked once.

mod drag;
mod everything;
mod findings;
mod gestures;
mod hand;
mod hands;
mod in_time;
mod journeys;
mod kits;
mod lanes;
mod loops;
mod own_sounds;
mod room;
mod sight;
mod solid;
mod time;
mod touch;
mod writing;
