//! Steps of work, counted where tests hold how work grows with what there is to do.

#[cfg(test)]
use std::cell::Cell;

#[cfg(test)]
thread_local! {
    static STEPS: Cell<u64> = const { Cell::new(0) };
}

/// A step of work whose number should not grow faster than the hits. It costs nothing outside of tests.
#[inline(always)]
pub(crate) fn step() {
    #[cfg(test)]
    STEPS.set(STEPS.get() + 1);
}

/// How many steps some work takes.
#[cfg(test)]
pub(crate) fn counted<T>(work: impl FnOnce() -> T) -> (T, u64) {
    let before = STEPS.get();
    let done = work();
    (done, STEPS.get() - before)
}
