//! Bars that move: what of a song's passes goes along.

use crate::recipe::names::{Carrier, Named};
use crate::recipe::{Pass, Recipe};
use crate::time::bars::BarMoves;
use crate::time::metre::MetreMap;

impl BarMoves {
    /// Passes that name bars, or hits by hand at places, where these are now. What is said of bars that are gone is
    /// said in sentences: the pass is switched off, or hits by hand went with their bars.
    pub fn recipe(&self, recipe: &Recipe, from: &MetreMap, to: &MetreMap) -> (Recipe, Vec<String>) {
        if self.is_nothing() && from == to {
            return (recipe.clone(), Vec::new());
        }
        recipe.taken_along(&mut WithBars { moves: self, from, to, gone: Gone::default() })
    }
}

/// With bars that move.
struct WithBars<'a> {
    moves: &'a BarMoves,
    from: &'a MetreMap,
    to: &'a MetreMap,
    gone: Gone,
}

/// What of a pass lay in bars that are gone.
#[derive(Default)]
struct Gone {
    /// All bars that it aims at.
    bars: bool,
    points: usize,
    hits: usize,
}

impl Carrier for WithBars<'_> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Bars(ranges) => {
                let now = self.moves.ranges(ranges);
                self.gone.bars = now.is_empty() && !ranges.is_empty();
                // Without bars it would be for all of the song.
                if !self.gone.bars {
                    *ranges = now;
                }
                !self.gone.bars
            }
            Named::Place(bar) => {
                let now = self.moves.place(*bar);
                *bar = now.unwrap_or(*bar);
                self.gone.points += usize::from(now.is_none());
                now.is_some()
            }
            Named::Stretch(tick, length) => {
                let now = self.moves.tick(*tick, self.from, self.to);
                *tick = now.unwrap_or(*tick);
                *length = BarMoves::length(*length, self.from, self.to);
                self.gone.hits += usize::from(now.is_none());
                now.is_some()
            }
            Named::Instruments(..) | Named::Instrument(_) | Named::Stroke(..) | Named::Hit(_) | Named::Pocket(_) => {
                true
            }
        }
    }

    fn comes(&mut self, pass: &mut Pass, said: &mut Vec<String>) -> bool {
        let Gone { bars, points, hits } = std::mem::take(&mut self.gone);
        if bars {
            pass.on = false;
            said.push("the bars that it aims at are gone; it is switched off.".to_owned());
        }
        for (count, one, many) in
            [(points, "point of its line", "points of its line"), (hits, "hit that it added", "hits that it added")]
        {
            match count {
                0 => {}
                1 => said.push(format!("1 {one} went with its bar.")),
                _ => said.push(format!("{count} {many} went with their bars.")),
            }
        }
        true
    }
}
