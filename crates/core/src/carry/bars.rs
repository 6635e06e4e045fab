//! Bars that move: what of a song's passes goes along.

use crate::action::Action;
use crate::bars::BarMoves;
use crate::metre::MetreMap;
use crate::recipe::Recipe;

impl BarMoves {
    /// Passes that name bars, or hits by hand at places, where these are now. What is said of bars that are gone is
    /// said in sentences: the pass is switched off, or hits by hand went with their bars.
    pub fn recipe(&self, recipe: &Recipe, from: &MetreMap, to: &MetreMap) -> (Recipe, Vec<String>) {
        if self.is_nothing() && from == to {
            return (recipe.clone(), Vec::new());
        }
        let (mut recipe, mut said) = (recipe.clone(), Vec::new());
        for (index, pass) in recipe.passes.iter_mut().enumerate() {
            let title = pass.name.clone().unwrap_or_else(|| pass.action.info().title.to_owned());
            let name = format!("Pass {}, {title}", index + 1);
            if !pass.aim.bars.is_empty() {
                let bars = self.ranges(&pass.aim.bars);
                if bars.is_empty() {
                    // Without bars it would be for all of the song.
                    pass.on = false;
                    said.push(format!("{name}: the bars that it aims at are gone; it is switched off."));
                } else {
                    pass.aim.bars = bars;
                }
            }
            let (gone, what) = match &mut pass.action {
                Action::Arc(arc) => {
                    let before = arc.points.len();
                    arc.points.retain_mut(|point| self.place(&mut point.bar));
                    let gone = before - arc.points.len();
                    arc.points.sort_by(|a, b| a.bar.total_cmp(&b.bar));
                    arc.points.dedup_by(|a, b| a.bar == b.bar);
                    (gone, ["1 point of its line", "points of its line"])
                }
                Action::LaneLine(line) => {
                    let before = line.points.len();
                    line.points.retain_mut(|point| self.place(&mut point.bar));
                    line.points.sort_by(|a, b| a.bar.total_cmp(&b.bar));
                    (before - line.points.len(), ["1 point of its line", "points of its line"])
                }
                Action::ByHand(hand) => {
                    let before = hand.added.len();
                    hand.added.retain_mut(|hit| self.tick(hit.tick, from, to).map(|tick| hit.tick = tick).is_some());
                    (before - hand.added.len(), ["1 hit that it added", "hits that it added"])
                }
                _ => continue,
            };
            match gone {
                0 => {}
                1 => said.push(format!("{name}: {} went with its bar.", what[0])),
                _ => said.push(format!("{name}: {gone} {} went with their bars.", what[1])),
            }
        }
        (recipe, said)
    }

    /// Takes a place counted in bars, 4.5 for the middle of bar 4, to where it is now; false where its bar is gone.
    fn place(&self, place: &mut f64) -> bool {
        let now = self.bar(place.floor() as u32);
        if let Some(now) = now {
            *place = f64::from(now) + place.fract();
        }
        now.is_some()
    }
}
