//! Parts split by their instruments, and parts joined into one: hits and passes go along.

use super::kits::ToKit;
use crate::kit::chart::Chart;
use crate::kit::{InstrumentId, Kit};
use crate::part::hit::{Hit, HitId, Part};
use crate::recipe::action::{Action, ByHand};
use crate::recipe::aim::Aim;
use crate::recipe::names::{Carrier, For, Named};
use crate::recipe::{Pass, PassId, Recipe};
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
        let (recipe, said) = self.recipe.taken_along(&mut ToFewer { kept, ids, ..ToFewer::default() });
        Regrouped { part: Part::new(hits), recipe, said }
    }
}

/// To a part of some of the instruments.
#[derive(Default)]
struct ToFewer<'a> {
    kept: HashSet<&'a InstrumentId>,
    ids: HashSet<HitId>,
    /// It aims at instruments of which none came along.
    aims_elsewhere: bool,
    looks_elsewhere: usize,
    /// Hits that it names: those that are here, and those that are not.
    hits: (usize, usize),
}

impl Carrier for ToFewer<'_> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Instruments(ids, For::Aim) => {
                let here: Vec<InstrumentId> = ids.iter().filter(|id| self.kept.contains(id)).cloned().collect();
                self.aims_elsewhere = here.is_empty() && !ids.is_empty();
                // Without instruments it would be for all of them.
                if !self.aims_elsewhere {
                    *ids = here;
                }
                !self.aims_elsewhere
            }
            Named::Instruments(ids, _) => {
                self.looks_elsewhere += usize::from(!ids.iter().all(|id| self.kept.contains(id)));
                true
            }
            Named::Hit(id) => {
                let is_here = self.ids.contains(id) || *id >= HitId::FIRST_MADE;
                let (here, elsewhere) = &mut self.hits;
                *(if is_here { here } else { elsewhere }) += 1;
                is_here
            }
            Named::Instrument(_)
            | Named::Stroke(..)
            | Named::Bars(_)
            | Named::Place(_)
            | Named::Stretch(..)
            | Named::Pocket(_) => true,
        }
    }

    fn comes(&mut self, pass: &mut Pass, said: &mut Vec<String>) -> bool {
        let (here, elsewhere) = std::mem::take(&mut self.hits);
        let looks = std::mem::take(&mut self.looks_elsewhere);
        let all_but_elsewhere = pass.aim.invert && pass.aim.is_scope_alone();
        let aims_elsewhere = std::mem::take(&mut self.aims_elsewhere);
        let names_hits_elsewhere = here == 0 && elsewhere > 0 && !pass.aim.invert;
        // Whatever it aims at, it adds them.
        let adds_hits = matches!(&pass.action, Action::ByHand(hand) if !hand.added.is_empty());
        if names_hits_elsewhere || (aims_elsewhere && !all_but_elsewhere && !adds_hits) {
            return false;
        }
        if aims_elsewhere && all_but_elsewhere {
            // All but instruments that are elsewhere is everything here.
            pass.aim = Aim::everything();
        }
        for _ in 0..looks {
            said.push("it looks at drums that are in another part now, and no longer finds them.".to_owned());
        }
        true
    }
}

/// Several parts as one of drums, read by a kit. The first keeps the ids of its hits; of the others those keep them whose
/// ids are free. A pass that was for all of its part is for the instruments of that part now; where several parts have the
/// same pass, as those have that were split, it is one again.
pub fn join(sources: &[Regrouping<'_>], kit: &Kit) -> Regrouped {
    let (hits, renamed) = together(sources);
    let part = Part::new(hits);
    let kit = kit.clone().with_unknown(&part);
    let lookup = kit.lookup();
    let struck = |source: &Regrouping<'_>| -> BTreeSet<usize> {
        let added = by_hands(source.recipe).flat_map(|hand| &hand.added).map(|hit| (hit.note, hit.channel));
        let written = source.part.hits().iter().map(|hit| (hit.note, hit.channel));
        written.chain(added).filter_map(|(note, channel)| lookup.instrument(note, channel)).collect()
    };
    let drums: Vec<BTreeSet<usize>> = sources.iter().map(struck).collect();
    let all: BTreeSet<usize> = drums.iter().flatten().copied().collect();
    let called = |places: &BTreeSet<usize>| -> Vec<InstrumentId> {
        places.iter().map(|&place| kit.instruments[place].id.clone()).collect()
    };
    let (mut recipe, mut said) = (Recipe::default(), Vec::new());
    for ((source, own), renamed) in sources.iter().zip(&drums).zip(&renamed) {
        let hits = source.part.hits().iter().map(|hit| (hit.note, hit.channel));
        let mut carrier = ToMore {
            to_kit: ToKit::of_hits(&source.chart.kit, &kit, hits),
            renamed,
            own: Some(called(own)).filter(|_| *own != all),
            lost: 0,
        };
        let (passes, notes) = source.recipe.taken_along(&mut carrier);
        recipe = recipe.interleaved(&passes, &called(&all));
        said.extend(notes.into_iter().map(|note| format!("{}, {note}", source.name)));
    }
    let in_common = |place: usize, own: &BTreeSet<usize>| {
        drums.iter().enumerate().any(|(other, its)| other != place && !own.is_disjoint(its))
    };
    if (drums.iter().enumerate()).any(|(place, own)| !sources[place].recipe.passes.is_empty() && in_common(place, own))
    {
        said.push("Some of these parts have a drum in common: passes for it are for all of its hits now.".to_owned());
    }
    Regrouped { part, recipe, said }
}

/// The hits of several parts, and for each part what its ids have become, those of hits by hand, too.
fn together(sources: &[Regrouping<'_>]) -> (Vec<Hit>, Vec<HashMap<HitId, HitId>>) {
    let mut taken: HashSet<HitId> = HashSet::new();
    let mut hits: Vec<Hit> = Vec::new();
    let highest = sources.iter().flat_map(|source| source.part.hits()).map(|hit| hit.id.get()).max();
    let mut free = (highest.map_or(0, |id| id + 1)..HitId::FIRST_BY_HAND.get()).map(|id| HitId::new(id as u32));
    let added = sources.iter().flat_map(|source| by_hands(source.recipe)).flat_map(|hand| &hand.added);
    let highest = added.map(|added| added.id.get()).fold(HitId::FIRST_BY_HAND.get(), u64::max);
    let mut free_by_hand = (highest + 1..1 << 32).map(|id| HitId::new(id as u32));
    let mut all_renamed = Vec::with_capacity(sources.len());
    for source in sources {
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
        all_renamed.push(renamed);
    }
    (hits, all_renamed)
}

/// To a part that others move into as well.
struct ToMore<'a> {
    to_kit: ToKit<'a>,
    renamed: &'a HashMap<HitId, HitId>,
    /// The instruments of its part, where these are not all.
    own: Option<Vec<InstrumentId>>,
    /// Hits that it names and nobody knows.
    lost: usize,
}

impl Carrier for ToMore<'_> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Hit(id) => {
                let made = Some(*id).filter(|id| *id >= HitId::FIRST_MADE);
                let now = self.renamed.get(id).copied().or(made);
                *id = now.unwrap_or(*id);
                self.lost += usize::from(now.is_none());
                now.is_some()
            }
            Named::Instruments(..)
            | Named::Instrument(_)
            | Named::Stroke(..)
            | Named::Bars(_)
            | Named::Place(_)
            | Named::Stretch(..)
            | Named::Pocket(_) => self.to_kit.take(named),
        }
    }

    fn comes(&mut self, pass: &mut Pass, said: &mut Vec<String>) -> bool {
        // First of all: what is said of this pass is not left for the next.
        let comes = self.to_kit.comes(pass, said);
        match std::mem::take(&mut self.lost) {
            0 => {}
            1 => said.push("1 hit that it names is no longer there.".to_owned()),
            lost => said.push(format!("{lost} hits that it names are no longer there.")),
        }
        let is_about_single_hits = matches!(pass.action, Action::ByHand(_));
        if let Some(own) = &self.own
            && !is_about_single_hits
            && !stay_with(own, &mut pass.aim)
        {
            said.push("“all but” some bars cannot be said of one part's drums; the pass is left out.".to_owned());
            return false;
        }
        comes
    }
}

/// Lets an aim mean what it meant before others came to its own instruments; false where no aim can say that.
fn stay_with(own: &[InstrumentId], aim: &mut Aim) -> bool {
    if aim.invert && aim.is_scope_alone() {
        if !aim.bars.is_empty() || !aim.sections.is_empty() {
            return false;
        }
        let is_other = |id: &&InstrumentId| !aim.instruments.is_empty() && !aim.instruments.contains(id);
        let others = own.iter().filter(is_other).cloned().collect();
        *aim = Aim { instruments: others, invert: false, ..aim.clone() };
    } else if aim.instruments.is_empty() {
        aim.instruments = own.to_vec();
    }
    // What is for nobody stays so.
    if aim.instruments.is_empty() {
        aim.picked = Some(Vec::new());
    }
    true
}

impl Recipe {
    /// These passes and those of another recipe, each in its order. A pass that both have for some of `all` instruments
    /// is one for all of them; the others keep their ids where these are free.
    fn interleaved(&self, other: &Recipe, all: &[InstrumentId]) -> Recipe {
        let mut taken: HashSet<PassId> = self.passes.iter().map(|pass| pass.id).collect();
        let mut free = Recipe::of([&self.passes[..], &other.passes].concat()).free_ids();
        // A group that both have is one; another of its id gets an id of its own, and its passes are others.
        let (groups, theirs) = self.groups_beside(other, |own, other| own == other);
        let mut come = |pass: &Pass| {
            let id = if taken.insert(pass.id) { pass.id } else { free.next().unwrap_or(pass.id) };
            Pass { id, ..pass.clone() }
        };
        let mut passes: Vec<Pass> = Vec::with_capacity(self.passes.len() + other.passes.len());
        let (mut own, mut waiting) = (&self.passes[..], Vec::new());
        for pass in &theirs {
            let Some(place) = own.iter().position(|one| one.is_same_for_others(pass)) else {
                waiting.push(pass);
                continue;
            };
            passes.extend_from_slice(&own[..place]);
            passes.extend(waiting.drain(..).map(&mut come));
            passes.push(own[place].also_for(pass, all));
            own = &own[place + 1..];
        }
        passes.extend_from_slice(own);
        passes.extend(waiting.into_iter().map(come));
        Recipe { passes, groups }.tidied()
    }
}

impl Pass {
    /// Whether both are the same pass, each for some instruments that it names.
    fn is_same_for_others(&self, other: &Pass) -> bool {
        let bare = |pass: &Pass| {
            let picked = pass.aim.picked.as_ref().map(|_| Vec::new());
            let aim = Aim { instruments: Vec::new(), picked, ..pass.aim.clone() };
            Pass { aim, ..pass.clone() }
        };
        !self.aim.instruments.is_empty() && !other.aim.instruments.is_empty() && bare(self) == bare(other)
    }

    /// The pass for the instruments and picked hits of both.
    fn also_for(&self, other: &Pass, all: &[InstrumentId]) -> Pass {
        let mut pass = self.clone();
        let Aim { instruments, picked, .. } = &mut pass.aim;
        instruments.extend(other.aim.instruments.iter().filter(|id| !self.aim.instruments.contains(id)).cloned());
        if all.iter().all(|id| instruments.contains(id)) {
            instruments.clear();
        }
        if let (Some(picked), Some(more)) = (picked, &other.aim.picked) {
            picked.extend_from_slice(more);
        }
        pass
    }
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Millis, Note, Ppq, Ticks, Velocity};
    use crate::perform::{Context, Performance, perform};
    use crate::recipe::action::{HandHit, HandMove, Level, Vary};
    use crate::time::metre::MetreMap;
    use crate::time::tempo::TempoMap;
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
            Recipe::of(passes)
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
            let joined = join(&[source(0, &kick), source(1, &snare)], &Kit::general_midi());
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
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Level(Level { by: 5.0 }))]);
        let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
        let [kick, rest] = [vec!["kick"], vec!["snare", "closed-hat"]]
            .map(|ids| whole.split_off(&ids.into_iter().map(InstrumentId::new).collect::<Vec<_>>()));
        let charts = [&kick, &rest].map(|one| Chart::new(&one.part, Kit::of_drums(&one.part)));
        let joined = join(
            &[
                Regrouping { name: "Kick", part: &kick.part, chart: &charts[0], recipe: &kick.recipe },
                Regrouping { name: "Rest", part: &rest.part, chart: &charts[1], recipe: &rest.recipe },
            ],
            &Kit::general_midi(),
        );
        assert_eq!(joined.part, part);
        assert_eq!(sound(&[played(&joined.part, &joined.recipe)]), sound(&[played(&part, &recipe)]));
        assert_eq!(joined.recipe, recipe);
    }

    #[test]
    fn what_looks_at_another_part_is_said() {
        let part = beat();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let near = crate::recipe::aim::Near { instruments: vec![InstrumentId::new("kick")], within: Millis(20.0) };
        let aim = Aim { without: Some(near), ..Aim::at("closed-hat") };
        let recipe = Recipe::of(vec![vary(1, Aim::at("kick")), vary(2, aim)]);
        let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
        let hats = whole.split_off(&[InstrumentId::new("closed-hat")]);
        assert_eq!(hats.recipe.passes.len(), 1);
        assert_eq!(
            hats.said,
            ["Pass 2, Vary: it looks at drums that are in another part now, and no longer finds them."]
        );
    }
}
