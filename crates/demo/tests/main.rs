//! All tests of this crate in one program, which is linked once.

mod golden;
mod mishits;
mod performances;
mod songs;
mod starts;
mod versions;
