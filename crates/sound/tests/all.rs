//! All tests of this crate in one program, which is linked once.

mod kit;
mod own;
mod playing;
