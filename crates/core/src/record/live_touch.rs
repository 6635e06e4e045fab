//! Touch while playing: what becomes of a stroke at once.

use crate::base::units::{Channel, Ticks, Velocity};
use crate::kit::Kit;
use crate::kit::chart::Chart;
use crate::part::hit::{Hit, HitId, Part};
use crate::perform::{Context, perform};
use crate::recipe::action::{Action, ActionFamily, LimitsHow};
use crate::recipe::{Pass, PassId, Recipe};
use serde::Serialize;
use ts_rs::TS;

/// What single strokes become by the passes of a part that need to know nothing but the stroke.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Live {
    /// For each of the 128 notes which of the tables holds; nothing where strokes stay as they are.
    pub notes: Vec<Option<u16>>,
    /// What each velocity from 0 to 127 becomes.
    pub tables: Vec<Vec<u8>>,
    /// Which passes are heard, and why the others are not.
    pub passes: Vec<LivePass>,
}

/// Whether a pass is heard in what is struck.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct LivePass {
    /// Which.
    pub pass: PassId,
    /// Why not; nothing where it is.
    pub why_not: Option<&'static str>,
}

fn why_not(recipe: &Recipe, pass: &Pass) -> Option<&'static str> {
    let aim = &pass.aim;
    if !recipe.is_on(pass) {
        return Some("it is switched off");
    }
    if let Action::ByHand(_) = pass.action {
        return Some("it is about single hits of the part");
    }
    let depends_on_more = match &pass.action {
        Action::Level(_) | Action::Layer(_) | Action::Set(_) => false,
        Action::Contrast(contrast) => contrast.pivot.is_none(),
        Action::Limits(limits) => limits.how != LimitsHow::Clip,
        _ => true,
    };
    if depends_on_more {
        return Some(match pass.action.info().family {
            ActionFamily::Time => "it is about timing",
            ActionFamily::Hands => "it is about strokes and hands",
            _ => "it needs to know the hits around",
        });
    }
    let of_place = !aim.bars.is_empty() || !aim.sections.is_empty() || aim.positions.is_some();
    let of_others = aim.speed.is_some() || aim.run.is_some() || aim.with.is_some() || aim.without.is_some();
    let of_others = of_others || aim.hand.is_some() || aim.chord.is_some() || aim.grace.is_some();
    if of_place || aim.length.is_some() || of_others || aim.share.is_some() || aim.picked.is_some() {
        return Some("it depends on where in the song the stroke falls, or on others");
    }
    None
}

impl Live {
    /// The tables of a kit by a recipe. Every stroke of every velocity is performed, by the passes that are heard.
    pub fn of(kit: &Kit, recipe: &Recipe, channel: Channel, context: &Context<'_>) -> Live {
        let passes: Vec<LivePass> =
            recipe.passes.iter().map(|pass| LivePass { pass: pass.id, why_not: why_not(recipe, pass) }).collect();
        let heard = recipe.passes.iter().filter(|pass| why_not(recipe, pass).is_none()).cloned().collect();
        let strokes: Vec<_> = kit.instruments.iter().flat_map(|one| &one.articulations).collect();
        let bar = context.metre.bar(1).length.0;
        let hit = |(place, velocity): (usize, u8)| Hit {
            id: HitId::new((place * 127 + usize::from(velocity) - 1) as u32),
            tick: Ticks(bar * (place * 127 + usize::from(velocity)) as f64),
            length: Ticks(1.0),
            velocity: Velocity::new(velocity).unwrap_or(Velocity::MAX),
            release: 64,
            note: strokes[place].note,
            channel: strokes[place].channel.unwrap_or(channel),
        };
        let every = (0..strokes.len()).flat_map(|place| (1..=127).map(move |velocity| (place, velocity)));
        let part = Part::new(every.map(hit).collect());
        let chart = Chart::new(&part, kit.clone());
        let played = perform(&part, &chart, &Recipe { passes: heard, groups: recipe.groups.clone() }, context);
        let mut live = Live { notes: vec![None; 128], tables: Vec::new(), passes };
        for (stroke, hits) in strokes.iter().zip(played.written.chunks(127)) {
            let table: Vec<u8> = std::iter::once(0).chain(hits.iter().map(|hit| hit.velocity.get())).collect();
            if (0u8..).zip(&table).all(|(before, &after)| before == after) {
                continue;
            }
            let known = live.tables.iter().position(|one| *one == table);
            let place = known.unwrap_or_else(|| {
                live.tables.push(table);
                live.tables.len() - 1
            });
            live.notes[usize::from(stroke.note.get())] = Some(place as u16);
        }
        live
    }
}
