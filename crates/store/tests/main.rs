//! All tests of this crate in one program, which is linked once.

mod foreign;
mod history;
mod kits;
mod model;
mod pockets;
mod solid;
mod takes;
