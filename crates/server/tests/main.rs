//! All tests of this crate in one program, which is linked once.

mod api;
mod batches;
mod bundles;
mod common;
mod exports;
mod findings;
mod fuzz;
mod groups;
mod guarded;
mod hammer;
mod kits;
mod lanes;
mod loops;
mod model;
mod once;
mod own_sounds;
mod recordings;
mod regroup;
mod solid;
mod takes;
mod time;
mod types;
mod writing;
