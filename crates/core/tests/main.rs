//! All tests of this crate in one program, which is linked once.

mod actions;
mod agreed;
mod aims;
mod carried;
mod documented_recipes;
mod drawing;
mod findings;
mod gestures;
mod grooves;
mod hands_jobs;
mod invariants;
mod jobs;
mod lanes;
mod lines;
mod odd_values;
mod playing;
mod readings;
mod recording;
mod rules;
mod solid;
mod time;
mod time_jobs;
mod told;
