//! All tests of this crate in one program, which is linked once.

mod bad_input;
mod clips;
mod common;
mod export;
mod lanes;
mod lossless;
mod mending;
