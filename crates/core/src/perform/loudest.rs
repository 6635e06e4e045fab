//! The loudest of what was struck within a while, for hits that come in order of time.

use crate::base::steps::step;
use std::collections::VecDeque;

/// What was struck within a window of time that moves on, the loudest first. Each hit comes once and goes once, so that
/// however many share one moment, a question costs a step.
#[derive(Clone, Debug, Default)]
pub(crate) struct Loudest(VecDeque<Struck>);

#[derive(Clone, Copy, Debug)]
struct Struck {
    at: f64,
    velocity: f64,
    place: usize,
}

impl Loudest {
    /// A hit comes, later than all before it or with them.
    pub fn add(&mut self, at: f64, velocity: f64, place: usize) {
        // What is softer and came before will never be the loudest again.
        while self.0.back().is_some_and(|last| last.velocity <= velocity) {
            step();
            self.0.pop_back();
        }
        step();
        self.0.push_back(Struck { at, velocity, place });
    }

    /// What is over goes.
    pub fn keep(&mut self, is_near: impl Fn(f64) -> bool) {
        while self.0.front().is_some_and(|first| !is_near(first.at)) {
            step();
            self.0.pop_front();
        }
    }

    /// The loudest that there is, the last of those that are alike: its velocity and place.
    pub fn get(&self) -> Option<(f64, usize)> {
        self.0.front().map(|one| (one.velocity, one.place))
    }
}
