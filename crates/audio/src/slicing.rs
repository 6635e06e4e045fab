//! The slices of a part that is a recorded loop.

use crate::RATE;
use crate::render::{Arranged, Placed};
use std::ops::Range;
use vivida_core::{Slicing, TempoMap, Ticks, Velocity};

/// A hit of a part that is a clip, as it was written: its onset is where its slice begins.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cut {
    /// The onset.
    pub tick: Ticks,
    /// How loud it was recorded.
    pub velocity: Velocity,
}

/// A hit as it is played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Struck {
    /// Which of the cuts it is, or was made of.
    pub cut: usize,
    /// When it sounds, in s.
    pub seconds: f64,
    /// How hard.
    pub velocity: Velocity,
}

/// A part that is a recorded loop, and how it is played.
#[derive(Clone, Debug)]
pub struct Played<'a> {
    /// Where the clip lies in the song.
    pub slicing: &'a Slicing,
    /// The hits as they were written, in order of time.
    pub cuts: &'a [Cut],
    /// The hits that sound.
    pub struck: &'a [Struck],
    /// The song's.
    pub tempo: &'a TempoMap,
    /// How much faster than the song it goes.
    pub speed: f64,
}

impl Played<'_> {
    /// The frame at which a tick of the song sounds.
    pub fn frame(&self, tick: Ticks) -> f64 {
        self.tempo.seconds(tick) * self.rate()
    }

    fn rate(&self) -> f64 {
        f64::from(RATE) / self.speed
    }

    /// Its slices from the beginning of the song to its end. What lies before the first cut of each time round stays
    /// where it is.
    pub fn arrange(&self) -> Arranged {
        let (from, to) = (self.slicing.start, self.slicing.end());
        Arranged::new(&self.slices(from..to), self.slicing.frames())
    }

    /// Its slices between two ticks, over and over: what is rendered between these two frames follows upon itself.
    pub fn arrange_round(&self, bars: Range<Ticks>) -> Arranged {
        let length = self.frame(bars.end) - self.frame(bars.start);
        let own = self.slices(bars);
        let around = [-length, 0.0, length]
            .into_iter()
            .flat_map(|shift| own.iter().map(move |slice| Placed { at: slice.at + shift, ..*slice }));
        Arranged::new(&around.collect::<Vec<Placed>>(), self.slicing.frames())
    }

    /// The slices of the hits that were written between two ticks, and what was recorded before the first of them.
    fn slices(&self, ticks: Range<Ticks>) -> Vec<Placed> {
        let loops = self.slicing.frames();
        let places: Vec<Option<(u32, usize)>> = self.cuts.iter().map(|cut| self.slicing.place(cut.tick)).collect();
        let mut starts: Vec<(u32, usize)> = places.iter().copied().flatten().collect();
        starts.sort_unstable();
        starts.dedup();
        // Each goes on to the next one of its time round.
        let next = |round: u32, from: usize| match starts.get(from) {
            Some(&(other, frame)) if other == round => frame,
            _ => loops.end,
        };
        let mut slices: Vec<Placed> = Vec::with_capacity(self.struck.len() + self.slicing.times as usize + 1);
        let mut head = |tick: Ticks| {
            let Some(place) = self.slicing.place(tick) else { return };
            let to = next(place.0, starts.partition_point(|other| *other < place));
            slices.push(Placed { from: place.1, to, at: self.frame(tick), gain: 1.0 });
        };
        let rounds = (0..self.slicing.times).map(|round| self.slicing.tick(loops.start, round));
        let rounds = rounds.filter(|tick| tick.0 > ticks.start.0 + 0.5 && tick.0 < ticks.end.0 - 0.5);
        std::iter::once(ticks.start).chain(rounds).for_each(&mut head);
        for one in self.struck {
            let cut = self.cuts[one.cut];
            let inside = cut.tick.0 >= ticks.start.0 - 1e-6 && cut.tick.0 < ticks.end.0 - 1e-6;
            let Some(place) = places[one.cut].filter(|_| inside) else { continue };
            let recorded = cut.velocity;
            let gain = if one.velocity == recorded { 1.0 } else { one.velocity.amplitude() / recorded.amplitude() };
            let to = next(place.0, starts.partition_point(|other| *other <= place));
            slices.push(Placed { from: place.1, to, at: one.seconds * self.rate(), gain: gain as f32 });
        }
        slices
    }
}
