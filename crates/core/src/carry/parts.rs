//! Parts split by their instruments, and parts joined into one: hits and passes go along.

use crate::action::{Action, ByHand};
use crate::aim::Aim;
use crate::chart::Chart;
use crate::hit::{Hit, HitId, Part};
use crate::kit::{InstrumentId, Kit};
use crate::recipe::{Pass, Recipe};
use std::collections::{BTreeSet, HashMap, HashSet};

/// A part, as its kit reads it, and its passes.
#[derive(Clone, Copy, Debug)]
pub struct Regrouping<'a> {
    /// Its name, for what is said.
    pub name: &'a str,
    /// Its Written.
    pub part: &'a Part,
    /// Its kit.
    pub chart: &'a Chart,
    /// Its passes.
    pub recipe: &'a Recipe,
}

/// What comes of splitting or joining.
#[derive(Clone, Debug, PartialEq)]
pub struct Regrouped {
    /// The Written.
    pub part: Part,
    /// The passes that go along.
    pub recipe: Recipe,
    /// Sentences on those that do not, or mean something else now.
    pub said: Vec<String>,
}

impl Regrouping<'_> {
    /// Some instruments as a part of their own. Hits keep their ids, so that dice, picks and what was done by hand
    /// hold; passes go along as far as they aim at these instruments.
    pub fn split_off(&self, instruments: &[InstrumentId]) -> Regrouped {
        let kit = &self.chart.kit;
        let kept: HashSet<&InstrumentId> = instruments.iter().collect();
        let own = |place: Option<usize>| place.is_some_and(|place| kept.contains(&kit.instruments[place].id));
        let places = self.chart.instruments.iter().map(|place| own(place.map(usize::from)));
        let hits: Vec<Hit> =
            self.part.hits().iter().zip(places).filter(|(_, kept)| *kept).map(|(hit, _)| *hit).collect();
        let mut ids: HashSet<HitId> = hits.iter().map(|hit| hit.id).collect();
        let all_added = by_hands(self.recipe).flat_map(|hand| &hand.added);
        let added = all_added.filter(|added| own(self.chart.instrument_of(added.note, added.channel)));
        ids.extend(added.map(|added| added.id));
        let is_here = |id: &HitId| ids.contains(id) || *id >= HitId::FIRST_MADE;

        let mut said = Vec::new();
        let mut passes = Vec::new();
        for (index, pass) in self.recipe.passes.iter().enumerate() {
            let mut pass = pass.clone();
            if let Action::ByHand(hand) = &mut pass.action {
                hand.moved.retain(|one| is_here(&one.hit));
                hand.removed.retain(is_here);
                hand.recalled.retain(is_here);
                hand.added.retain(|one| is_here(&one.id));
                if *hand == ByHand::default() {
                    continue;
                }
            }
            let Some(aim) = within(&pass.aim, &kept, is_here) else { continue };
            for near in aim.with.iter().chain(&aim.without) {
                if !near.instruments.iter().all(|id| kept.contains(id)) {
                    said.push(format!(
                        "{}: it looks at drums that are in another part now, and no longer finds them.",
                        name_of(index, &pass)
                    ));
                }
            }
            passes.push(Pass { aim, ..pass });
        }
        Regrouped { part: Part::new(hits), recipe: Recipe { passes }, said }
    }
}

/// Several parts as one of drums. The first keeps the ids of its hits; of the others those keep them whose ids are free.
/// A pass that was for all of its part is for the instruments of that part now.
pub fn join(sources: &[Regrouping<'_>]) -> Regrouped {
    let mut taken: HashSet<HitId> = HashSet::new();
    let mut hits: Vec<Hit> = Vec::new();
    let mut recipe = Recipe::default();
    let mut said = Vec::new();
    let highest = sources.iter().flat_map(|source| source.part.hits()).map(|hit| hit.id.get()).max();
    let mut free = (highest.map_or(0, |id| id + 1)..HitId::FIRST_BY_HAND.get()).map(|id| HitId::new(id as u32));
    let added = sources.iter().flat_map(|source| by_hands(source.recipe)).flat_map(|hand| &hand.added);
    let highest = added.map(|added| added.id.get()).fold(HitId::FIRST_BY_HAND.get(), u64::max);
    let mut free_by_hand = (highest + 1..1 << 32).map(|id| HitId::new(id as u32));
    let kits: Vec<Kit> = sources.iter().map(|source| Kit::of_drums(source.part).struck_by(source.part)).collect();
    let all: BTreeSet<&InstrumentId> = kits.iter().flat_map(|kit| &kit.instruments).map(|one| &one.id).collect();
    for (source, kit) in sources.iter().zip(&kits) {
        let mut renamed: HashMap<HitId, HitId> = HashMap::new();
        for hit in source.part.hits() {
            let id = if taken.insert(hit.id) { Some(hit.id) } else { free.next() };
            let Some(id) = id else { continue };
            taken.insert(id);
            renamed.insert(hit.id, id);
            hits.push(Hit { id, ..*hit });
        }
        for added in by_hands(source.recipe).flat_map(|hand| &hand.added) {
            let id = if taken.insert(added.id) { Some(added.id) } else { free_by_hand.next() };
            renamed.extend(id.map(|id| (added.id, id)));
        }
        let own: Vec<InstrumentId> = kit.instruments.iter().map(|one| one.id.clone()).collect();
        let struck = source.chart.kit.clone().struck_by(source.part);
        let of_drums = struck.instruments.iter().all(|one| own.contains(&one.id));
        let is_all = own.len() == all.len();
        let mut passes = Vec::new();
        for (index, pass) in source.recipe.passes.iter().enumerate() {
            let mut pass = pass.clone();
            let name = |pass: &Pass| format!("{}, {}", source.name, name_of(index, pass));
            let new = |id: &HitId| renamed.get(id).copied();
            if let Action::ByHand(hand) = &mut pass.action {
                hand.moved.retain_mut(|one| new(&one.hit).map(|id| one.hit = id).is_some());
                hand.removed.retain_mut(|one| new(one).map(|id| *one = id).is_some());
                hand.recalled.retain_mut(|one| new(one).map(|id| *one = id).is_some());
                hand.added.retain_mut(|one| new(&one.id).map(|id| one.id = id).is_some());
            }
            pass.aim.picked = pass.aim.picked.map(|picked| picked.iter().filter_map(new).collect());
            if !matches!(pass.action, Action::ByHand(_)) && !is_all && (pass.aim.instruments.is_empty() || !of_drums) {
                if pass.aim.invert && pass.aim.is_bars_alone() {
                    said.push(format!(
                        "{}: “all but” some bars cannot be said of one part's drums; the pass is left out.",
                        name(&pass)
                    ));
                    continue;
                }
                pass.aim.instruments = own.clone();
            }
            passes.push(pass);
        }
        recipe = recipe.followed_by(&Recipe { passes });
    }
    let shared = sources.iter().enumerate().any(|(place, source)| {
        !source.recipe.passes.is_empty()
            && kits.iter().enumerate().any(|(other, kit)| {
                other != place && kit.instruments.iter().any(|one| kits[place].find(&one.id).is_some())
            })
    });
    if shared {
        said.push("Some of these parts have a drum in common: passes for it are for all of its hits now.".to_owned());
    }
    Regrouped { part: Part::new(hits), recipe, said }
}

impl Part {
    /// Whether it is one drum of a kit: of drums with two notes at most, as flams and rims have; of tones with one.
    pub fn is_one_drum(&self, drums: bool) -> bool {
        let notes: BTreeSet<u8> = self.hits().iter().map(|hit| hit.note.get()).collect();
        (1..=if drums { 2 } else { 1 }).contains(&notes.len())
    }
}

fn by_hands(recipe: &Recipe) -> impl Iterator<Item = &ByHand> {
    recipe.passes.iter().filter_map(|pass| match &pass.action {
        Action::ByHand(hand) => Some(hand),
        _ => None,
    })
}

fn name_of(index: usize, pass: &Pass) -> String {
    format!("Pass {}, {}", index + 1, pass.name.as_deref().unwrap_or(pass.action.info().title))
}

/// An aim among some of its part's instruments; nothing where it means none of them.
fn within(aim: &Aim, kept: &HashSet<&InstrumentId>, is_here: impl Fn(&HitId) -> bool) -> Option<Aim> {
    let mut aim = aim.clone();
    if let Some(picked) = &mut aim.picked {
        picked.retain(is_here);
        if picked.is_empty() && !aim.invert {
            return None;
        }
    }
    if aim.instruments.is_empty() {
        return Some(aim);
    }
    aim.instruments.retain(|id| kept.contains(id));
    if !aim.instruments.is_empty() {
        return Some(aim);
    }
    // All but instruments that are elsewhere is everything here.
    (aim.invert && aim.is_scope_alone()).then(Aim::everything)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::{HandHit, HandMove, Level, Vary};
    use crate::metre::MetreMap;
    use crate::perform::{Context, Performance, perform};
    use crate::tempo::TempoMap;
    use crate::units::{Channel, Millis, Note, Ppq, Ticks, Velocity};
    use proptest::prelude::*;

    fn hit(id: u32, tick: f64, note: u8) -> Hit {
        Hit {
            id: HitId::new(id),
            tick: Ticks(tick),
            length: Ticks(60.0),
            velocity: Velocity::new(80).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        }
    }

    fn beat() -> Part {
        Part::new((0..32).map(|id| hit(id, f64::from(id) * 240.0, [36, 42, 38, 42][id as usize % 4])).collect())
    }

    fn vary(id: u32, aim: Aim) -> Pass {
        Pass::new(id, aim, Action::Vary(Vary { by: 20.0, ..Vary::default() }))
    }

    fn played(part: &Part, recipe: &Recipe) -> Performance {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        perform(part, &Chart::new(part, Kit::of_drums(part)), recipe, &Context::new(&tempo, &metre))
    }

    fn sound(performances: &[Performance]) -> Vec<(f64, u8, u8)> {
        let hits = performances.iter().flat_map(Performance::sounding);
        let mut all: Vec<_> = hits.map(|hit| (hit.tick.0, hit.note.get(), hit.velocity.get())).collect();
        all.sort_by(|a, b| a.partial_cmp(b).unwrap());
        all
    }

    fn aims() -> impl Strategy<Value = Aim> {
        let names = ["kick", "snare", "closed-hat"];
        let some = proptest::sample::subsequence(names.to_vec(), 0..=3);
        let picked = proptest::option::of(proptest::collection::vec((0..32u32).prop_map(HitId::new), 1..6));
        (some, picked, any::<bool>()).prop_map(|(some, picked, invert)| Aim {
            instruments: some.into_iter().map(InstrumentId::new).collect(),
            picked,
            invert,
            ..Aim::default()
        })
    }

    fn recipes() -> impl Strategy<Value = Recipe> {
        let hand = (0..32u32, 0..32u32, -30.0..30.0).prop_map(|(moved, removed, velocity)| {
            let one = HandMove { velocity, time: Millis(7.0), ..HandMove::of(HitId::new(moved)) };
            let added = HandHit {
                id: HitId::FIRST_BY_HAND,
                tick: Ticks(100.0),
                length: Ticks(50.0),
                velocity: Velocity::MAX,
                note: Note::new(38).unwrap(),
                channel: Channel::PERCUSSION,
            };
            Action::ByHand(ByHand {
                moved: vec![one],
                removed: vec![HitId::new(removed)],
                added: vec![added],
                ..ByHand::default()
            })
        });
        (proptest::collection::vec(aims(), 0..4), proptest::option::of(hand)).prop_map(|(aims, hand)| {
            let mut passes: Vec<Pass> = (1..).zip(aims).map(|(id, aim)| vary(id, aim)).collect();
            passes.extend(hand.map(|hand| Pass::new(9, Aim::everything(), hand)));
            Recipe { passes }
        })
    }

    proptest! {
        #[test]
        fn split_parts_sound_together_as_the_whole_did(recipe in recipes()) {
            let part = beat();
            let chart = Chart::new(&part, Kit::of_drums(&part));
            let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
            let of = |ids: &[&str]| {
                let ids: Vec<InstrumentId> = ids.iter().map(|&id| InstrumentId::new(id)).collect();
                whole.split_off(&ids)
            };
            let split = [of(&["kick"]), of(&["snare", "closed-hat"])];
            let performances = split.each_ref().map(|one| played(&one.part, &one.recipe));
            prop_assert_eq!(sound(&performances), sound(&[played(&part, &recipe)]));
        }

        #[test]
        fn joined_parts_keep_every_hit_and_what_was_done_by_hand(recipes in (recipes(), recipes())) {
            // The same ids in both; what is random is dealt anew, what is by hand is not.
            let kick = Part::new((0..32).map(|id| hit(id, f64::from(id) * 240.0, 36)).collect());
            let snare = Part::new((0..32).map(|id| hit(id, f64::from(id) * 240.0 + 7.0, 38)).collect());
            let only_hand = |recipe: &Recipe| {
                let mut recipe = recipe.clone();
                recipe.passes.retain(|pass| matches!(pass.action, Action::ByHand(_)));
                recipe
            };
            let recipes = [only_hand(&recipes.0), only_hand(&recipes.1)];
            let charts = [&kick, &snare].map(|part| Chart::new(part, Kit::of_drums(part)));
            let source = |place: usize, part| Regrouping { name: "", part, chart: &charts[place], recipe: &recipes[place] };
            let joined = join(&[source(0, &kick), source(1, &snare)]);
            let apart = [played(&kick, &recipes[0]), played(&snare, &recipes[1])];
            let strokes = |hits: &[Hit]| {
                let mut all: Vec<_> = hits.iter().map(|hit| (hit.tick.0.to_bits(), hit.note, hit.velocity, hit.length.0.to_bits())).collect();
                all.sort_unstable();
                all
            };
            prop_assert_eq!(strokes(joined.part.hits()), strokes(&[kick.hits(), snare.hits()].concat()));
            prop_assert!(joined.recipe.check().is_ok());
            prop_assert_eq!(sound(&[played(&joined.part, &joined.recipe)]), sound(&apart));
        }
    }

    #[test]
    fn what_was_split_is_joined_to_the_same_hits() {
        let part = beat();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let recipe = Recipe { passes: vec![Pass::new(1, Aim::everything(), Action::Level(Level { by: 5.0 }))] };
        let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
        let [kick, rest] = [vec!["kick"], vec!["snare", "closed-hat"]]
            .map(|ids| whole.split_off(&ids.into_iter().map(InstrumentId::new).collect::<Vec<_>>()));
        let charts = [&kick, &rest].map(|one| Chart::new(&one.part, Kit::of_drums(&one.part)));
        let joined = join(&[
            Regrouping { name: "Kick", part: &kick.part, chart: &charts[0], recipe: &kick.recipe },
            Regrouping { name: "Rest", part: &rest.part, chart: &charts[1], recipe: &rest.recipe },
        ]);
        assert_eq!(joined.part, part);
        assert_eq!(sound(&[played(&joined.part, &joined.recipe)]), sound(&[played(&part, &recipe)]));
        assert_eq!(joined.recipe.passes[0].aim, Aim::at("kick"));
        assert_eq!(joined.recipe.passes.len(), 2);
    }

    #[test]
    fn what_looks_at_another_part_is_said() {
        let part = beat();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let near = crate::aim::Near { instruments: vec![InstrumentId::new("kick")], within: Millis(20.0) };
        let aim = Aim { without: Some(near), ..Aim::at("closed-hat") };
        let recipe = Recipe { passes: vec![vary(1, Aim::at("kick")), vary(2, aim)] };
        let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
        let hats = whole.split_off(&[InstrumentId::new("closed-hat")]);
        assert_eq!(hats.recipe.passes.len(), 1);
        assert_eq!(
            hats.said,
            ["Pass 2, Vary: it looks at drums that are in another part now, and no longer finds them."]
        );
    }
}
