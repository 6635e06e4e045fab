//! All tests of this crate, in one program.

mod files;
mod loops;
mod render;
mod sfz;
