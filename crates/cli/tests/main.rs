//! All tests of this crate in one program, which is linked once.

mod albums;
mod edges;
mod loops;
mod own_sounds;
mod program;
mod recipes;
