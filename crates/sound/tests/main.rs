//! All tests of this crate in one program, which is linked once.

mod kit;
mod lanes;
mod moving;
mod own;
mod playing;
