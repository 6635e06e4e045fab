//! Aiming by example: the rule that names some hits.

use crate::base::units::{Millis, Percent, Velocity};
use crate::kit::InstrumentId;
use crate::part::hit::HitId;
use crate::perform::dice::Dice;
use crate::perform::{Rehearsal, Stage};
use crate::recipe::PassId;
use crate::recipe::aim::{Aim, BarRange, Positions, Run, RunPlace, VelocityRange};
use crate::time::grid::{Grid, first_of_group, slots_in};
use serde::Serialize;
use std::collections::{BTreeSet, HashSet};
use ts_rs::TS;

/// An aim that names some hits by what they have in common.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct AimRule {
    /// Whom it means, behind the passes that are there.
    pub aim: Aim,
    /// How many hits it means.
    pub means: u32,
    /// How many of them are not among those that it was looked for.
    pub adds: u32,
    /// How many of those it misses.
    pub misses: u32,
}

/// The rules that are told at most.
const TOLD: usize = 3;
/// The grids that slots are looked for on, from the coarsest.
const GRIDS: [&str; 7] = ["1/4", "1/8", "1/8 triplet", "1/16", "1/16 triplet", "1/32", "1/2"];
/// The bars that slots go round in.
const SPANS: [u32; 3] = [1, 2, 4];
/// The most stretches of bars that a rule has.
const MOST_STRETCHES: usize = 8;
/// A place and one condition cost no more to say.
const PLAIN: f64 = 2.5;
/// The gaps that runs are looked for with, in ms.
const GAPS: [f64; 2] = [150.0, 300.0];

/// One condition: what it asks of a hit, what it costs to say, and which hits meet it.
struct Condition {
    ask: Ask,
    cost: f64,
    meets: Bits,
}

#[derive(Clone)]
enum Ask {
    Nothing,
    Bars(Vec<BarRange>),
    Sections(Vec<String>),
    Positions(Positions),
    Velocity(VelocityRange),
    Run(Run),
    Strokes(Vec<String>),
}

impl Ask {
    fn put(&self, aim: &mut Aim) {
        match self.clone() {
            Ask::Nothing => {}
            Ask::Bars(bars) => aim.bars = bars,
            Ask::Sections(sections) => aim.sections = sections,
            Ask::Positions(positions) => aim.positions = Some(positions),
            Ask::Velocity(range) => aim.velocity = Some(range),
            Ask::Run(run) => aim.run = Some(run),
            Ask::Strokes(names) => aim.articulations = names,
        }
    }
}

/// A set of hits, by their places among those that are looked at.
#[derive(Clone, PartialEq)]
struct Bits(Vec<u64>);

impl Bits {
    fn of(count: usize, mut is: impl FnMut(usize) -> bool) -> Bits {
        let mut words = vec![0u64; count.div_ceil(64)];
        for place in 0..count {
            words[place / 64] |= u64::from(is(place)) << (place % 64);
        }
        Bits(words)
    }

    fn and(&self, other: &Bits) -> Bits {
        Bits(self.0.iter().zip(&other.0).map(|(one, other)| one & other).collect())
    }

    fn count(&self) -> u32 {
        self.0.iter().map(|word| word.count_ones()).sum()
    }

    fn holds(&self, other: &Bits) -> bool {
        self.0.iter().zip(&other.0).all(|(one, other)| one & other == *other)
    }
}

/// Rules that name some hits, as what is played behind the passes of a rehearsal: first the one that names exactly these in
/// the fewest words; where there is none, those that name all of them and the fewest others. Nothing where all hits
/// of their instruments are meant alike, or where a hit is not there.
///
/// A rule is a conjunction of instruments, bars or sections, and at most two of: slots of one, two or four bars; velocities;
/// a place in runs; ways of striking. Conditions are sets of hits; every conjunction is an intersection, and what is told was
/// counted by the aim itself.
pub fn aim_rules(rehearsal: &Rehearsal<'_>, hits: &[HitId]) -> Vec<AimRule> {
    let stage = rehearsal.stage();
    let wanted: HashSet<HitId> = hits.iter().copied().collect();
    let sample: Vec<usize> = (0..stage.count()).filter(|&index| wanted.contains(&stage.id(index))).collect();
    if sample.is_empty() || sample.len() < wanted.len() || sample.iter().any(|&index| stage.is_silenced(index)) {
        return Vec::new();
    }
    let instruments: BTreeSet<Option<usize>> = sample.iter().map(|&index| stage.instrument(index)).collect();
    if instruments.contains(&None) {
        return Vec::new();
    }
    let base = Aim { instruments: named(stage, &instruments), ..Aim::default() };
    let dice = Dice::new(0, PassId(u32::MAX), 0);
    let all = base.meant(stage, &dice);
    let search = Search::of(stage, &all, &sample);
    let mut found = search.conjunctions(&base, false);
    // Runs are gone through for the whole part: only where nothing plain names these hits.
    if !found.iter().any(|one| one.adds == 0 && one.cost <= PLAIN) {
        found = search.conjunctions(&base, true);
    }
    found.sort_by(|one, other| one.order().total_cmp(&other.order()));
    let mut told: Vec<AimRule> = Vec::new();
    for Found { aim, .. } in found {
        let meant = aim.meant(stage, &dice);
        let own = meant.iter().filter(|index| wanted.contains(&stage.id(**index))).count();
        let rule = AimRule {
            means: meant.len() as u32,
            adds: (meant.len() - own) as u32,
            misses: (sample.len() - own) as u32,
            aim,
        };
        let known = told.iter().any(|one| (one.adds, one.misses, one.means) == (rule.adds, rule.misses, rule.means));
        // What is no exact rule should not be mostly about others.
        if rule.misses == 0 && !known && rule.adds as usize <= 2 * sample.len() {
            told.push(rule);
        }
        let exact = told.iter().any(|rule| rule.adds == 0);
        if exact || told.len() == TOLD {
            break;
        }
    }
    told.sort_by_key(|rule| rule.adds);
    told
}

fn named(stage: &Stage<'_>, instruments: &BTreeSet<Option<usize>>) -> Vec<InstrumentId> {
    let kit = &stage.chart.kit.instruments;
    instruments.iter().flatten().map(|&place| kit[place].id.clone()).collect()
}

/// An aim that may be told.
struct Found {
    aim: Aim,
    adds: u32,
    cost: f64,
}

impl Found {
    /// Exact ones first, those that are said in few words before others.
    fn order(&self) -> f64 {
        if self.adds == 0 { self.cost } else { 1000.0 + f64::from(self.adds) + self.cost }
    }
}

/// Some hits among all of their instruments.
struct Search<'a> {
    stage: &'a Stage<'a>,
    all: &'a [usize],
    /// The bar of each, from 1, and where in it it would lie if its lines were straight, in ticks.
    places: Vec<(u32, f64)>,
    own: Bits,
    sample: Vec<usize>,
}

impl<'a> Search<'a> {
    fn of(stage: &'a Stage<'a>, all: &'a [usize], sample: &[usize]) -> Search<'a> {
        let metre = stage.metre;
        let mut bar = metre.bar(1);
        let places = all.iter().map(|&index| {
            let at = stage.anchor(index);
            // Neighbours mostly lie in one bar.
            if !(bar.start..bar.start + bar.length).contains(&at) {
                bar = metre.bar_at(at);
            }
            (bar.number, stage.straightened(index).0 - bar.start.0)
        });
        let places = places.collect();
        let set: HashSet<usize> = sample.iter().copied().collect();
        let own = Bits::of(all.len(), |place| set.contains(&all[place]));
        let sample = (0..all.len()).filter(|&place| set.contains(&all[place])).collect();
        Search { stage, all, places, own, sample }
    }

    /// A condition that all of the hits meet; nothing where it asks nothing of the others either.
    fn condition(&self, ask: Ask, cost: f64, meets: impl FnMut(usize) -> bool) -> Option<Condition> {
        let meets = Bits::of(self.all.len(), meets);
        let tells = meets.count() < self.all.len() as u32;
        (tells && meets.holds(&self.own)).then_some(Condition { ask, cost, meets })
    }

    fn conjunctions(&self, base: &Aim, with_runs: bool) -> Vec<Found> {
        let mut wheres = vec![Condition { ask: Ask::Nothing, cost: 0.0, meets: Bits::of(self.all.len(), |_| true) }];
        wheres.extend(self.bars());
        let mut whats: Vec<Condition> = self.velocities().into_iter().chain(self.strokes()).collect();
        if with_runs {
            whats.extend(self.runs());
        }
        whats.extend(self.slots());
        let mut found = Vec::new();
        let mut add = |conditions: &[&Condition], meets: &Bits| {
            let mut aim = base.clone();
            conditions.iter().for_each(|one| one.ask.put(&mut aim));
            let cost = conditions.iter().map(|one| one.cost).sum::<f64>();
            found.push(Found { aim, adds: meets.count() - self.sample.len() as u32, cost });
        };
        for place in &wheres {
            add(&[place], &place.meets);
            for (nth, one) in whats.iter().enumerate() {
                let both = place.meets.and(&one.meets);
                add(&[place, one], &both);
                for other in &whats[nth + 1..] {
                    if std::mem::discriminant(&one.ask) != std::mem::discriminant(&other.ask) {
                        add(&[place, one, other], &both.and(&other.meets));
                    }
                }
            }
        }
        found
    }

    /// The bars from the first to the last, those that have any, and the sections that they lie in.
    fn bars(&self) -> Vec<Condition> {
        let bars: BTreeSet<u32> = self.sample.iter().map(|&place| self.places[place].0).collect();
        let (Some(&first), Some(&last)) = (bars.first(), bars.last()) else { return Vec::new() };
        let mut stretches: Vec<BarRange> = Vec::new();
        for bar in bars {
            match stretches.last_mut() {
                Some(stretch) if stretch.to + 1 == bar => stretch.to = bar,
                _ => stretches.push(BarRange { from: bar, to: bar }),
            }
        }
        let within = |place: usize, stretches: &[BarRange]| {
            let bar = self.places[place].0;
            stretches.iter().any(|stretch| (stretch.from..=stretch.to).contains(&bar))
        };
        let whole = vec![BarRange { from: first, to: last }];
        let mut found = Vec::new();
        let names: BTreeSet<&str> = self.stage.sections.iter().map(|section| section.name.as_str()).collect();
        for name in names {
            let own = self.stage.sections.iter().filter(|section| section.name == name);
            let own: Vec<BarRange> = own.map(|section| BarRange { from: section.from, to: section.to }).collect();
            let ask = Ask::Sections(vec![name.to_owned()]);
            found.extend(self.condition(ask, 0.8, |place| within(place, &own)));
        }
        found.extend(self.condition(Ask::Bars(whole.clone()), 1.0, |place| within(place, &whole)));
        if (2..=MOST_STRETCHES).contains(&stretches.len()) {
            let cost = 1.2 + 0.2 * stretches.len() as f64;
            found.extend(self.condition(Ask::Bars(stretches.clone()), cost, |place| within(place, &stretches)));
        }
        found
    }

    fn velocity(&self, place: usize) -> Velocity {
        Velocity::rounded(self.stage.velocity[self.all[place]])
    }

    /// Not softer than the softest, not harder than the hardest, or both.
    fn velocities(&self) -> Vec<Condition> {
        let own = || self.sample.iter().map(|&place| self.velocity(place));
        let (Some(least), Some(most)) = (own().min(), own().max()) else { return Vec::new() };
        let ranges = [(least, Velocity::MAX, 1.0), (Velocity::MIN, most, 1.0), (least, most, 1.6)];
        let condition = |(from, to, cost)| {
            let ask = Ask::Velocity(VelocityRange { from, to });
            self.condition(ask, cost, |place| (from..=to).contains(&self.velocity(place)))
        };
        ranges.into_iter().filter_map(condition).collect()
    }

    fn strokes(&self) -> Option<Condition> {
        let name = |place: usize| self.stage.stroke_of(self.all[place]).map_or("", |way| way.name.as_str());
        let names: BTreeSet<&str> = self.sample.iter().map(|&place| name(place)).collect();
        let ask = Ask::Strokes(names.iter().map(|&name| name.to_owned()).collect());
        self.condition(ask, 0.9, |place| names.contains(name(place)))
    }

    /// The places in runs that all of them have.
    fn runs(&self) -> Vec<Condition> {
        let ways = [RunPlace::AllButFirst, RunPlace::First, RunPlace::Last, RunPlace::Even, RunPlace::Odd];
        let mut found = Vec::new();
        for (nth, gap) in GAPS.into_iter().enumerate() {
            let mut at = vec![(0usize, 0usize); self.stage.count()];
            for run in self.stage.runs(Millis(gap)) {
                run.hits.iter().for_each(|&(index, place)| at[index] = (place, run.strokes));
            }
            for place in ways {
                let meets = |hit: usize| {
                    let (nth, strokes) = at[self.all[hit]];
                    match place {
                        RunPlace::First => nth == 0,
                        RunPlace::Last => nth + 1 == strokes,
                        RunPlace::Odd => nth % 2 == 0,
                        RunPlace::Even => nth % 2 == 1,
                        _ => nth > 0,
                    }
                };
                if !self.sample.iter().all(|&hit| meets(hit)) {
                    continue;
                }
                let ask = Ask::Run(Run { place, every: 2, gap: Millis(gap) });
                found.extend(self.condition(ask, 1.3 + 0.1 * nth as f64, meets));
            }
        }
        found
    }

    /// The slots that they lie on, of each grid and span on which others lie elsewhere.
    fn slots(&self) -> Vec<Condition> {
        let metre = self.stage.metre;
        let last = self.places.iter().map(|one| one.0).max().unwrap_or(1) + 1;
        let mut found: Vec<Condition> = Vec::new();
        for (coarse, grid) in GRIDS.into_iter().enumerate() {
            let Ok(grid) = grid.parse::<Grid>() else { continue };
            let cell = grid.cell(metre.ppq()).0;
            let counts: Vec<u32> = (0..=last).map(|bar| slots_in(grid, metre, bar.max(1))).collect();
            let length = |bar: u32| metre.bar(bar).length.0;
            let lengths: Vec<f64> = (0..=last).map(|bar| length(bar.max(1))).collect();
            // The bar and its slot that each is nearest to.
            let slot = |&(bar, at): &(u32, f64)| {
                let count = counts[bar as usize];
                let slot = ((at / cell).round() as u32).min(count - 1);
                let to_next = lengths[bar as usize] - at;
                if to_next < (at - f64::from(slot) * cell).abs() { (bar + 1, 0) } else { (bar, slot) }
            };
            let slots: Vec<(u32, u32)> = self.places.iter().map(slot).collect();
            for span in SPANS {
                let before: Vec<u32> = (0..=last)
                    .map(|bar| (first_of_group(bar.max(1), span)..bar).map(|one| counts[one as usize]).sum())
                    .collect();
                let number = |place: usize| {
                    let (bar, slot) = slots[place];
                    before[bar as usize] + slot + 1
                };
                let chosen: BTreeSet<u32> = self.sample.iter().map(|&place| number(place)).collect();
                // A few of the slots are a pattern; most of many are a list.
                if chosen.len() > 16 {
                    continue;
                }
                let positions =
                    Positions { grid, slots: chosen.iter().copied().collect(), bars: span, tolerance: Percent(50.0) };
                // Looked up for each hit, of each grid and span.
                let mut is_chosen = vec![false; chosen.last().map_or(0, |last| *last as usize + 1)];
                chosen.iter().for_each(|&slot| is_chosen[slot as usize] = true);
                let meets = |place: usize| is_chosen.get(number(place) as usize).copied().unwrap_or(false);
                let cost = 1.0 + 0.06 * coarse as f64 + 0.25 * f64::from(span - 1) + 0.02 * chosen.len() as f64;
                let condition = self.condition(Ask::Positions(positions), cost, meets);
                // Another span or a finer grid is worth saying where it tells more.
                let tells = |one: &Condition| found.iter().all(|known| known.meets != one.meets);
                found.extend(condition.filter(tells));
            }
        }
        found
    }
}
