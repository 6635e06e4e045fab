//! All tests of this crate in one program, which is linked once.

mod albums;
mod edges;
mod loops;
mod program;
mod recipes;
