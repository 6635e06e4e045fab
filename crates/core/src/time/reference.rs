//! Which lines each drum is meant for, bar by bar.
//!
//! Every bar in which a drum is struck is held against straight 16ths, swung 16ths, swung 8ths, 8th and 16th
//! triplets and 32nds. A hit that lies d ms from the nearest line of a kind costs `d² / 2σ²` nats, at most
//! [`MOST`], with the drum's own deviation σ and its own mean lateness taken off, and the logarithm of how dense the lines are.
//! A kind that is rarer costs a little for each bar, a change from bar to bar costs [`CHANGE`], and what the other drums play
//! in a bar counts a little. The way of kinds that costs least is taken (Viterbi 1967, IEEE Trans. Inf. Theory 13: 260–269).
//! How far pairs are swung is looked for before, drum by drum: where most of what lies between the beginnings of pairs is.
//!
//! All kinds are alike from beat to beat. So hits are told apart by where in the beat they lie, in [`PLACES`] places, and what
//! a place costs is looked up.

use crate::base::stats::median;
use crate::base::units::{Percent, Ppq, Ticks};
use crate::time::grid::Grid;
use crate::time::lines::{InBar, Lines};
use crate::time::metre::MetreMap;
use crate::time::tempo::TempoMap;
use serde::Serialize;
use std::rc::Rc;
use ts_rs::TS;

/// The lines that count from a bar on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct LinesFrom {
    /// From 1.
    pub bar: u32,
    /// Up to the next entry.
    pub lines: Lines,
}

/// So many places of a beat, which is a quarter, are told apart.
const PLACES: usize = 960;
/// A hit never says more than this against a kind: it may be a stray, in nats.
const MOST: f64 = 8.0;
/// What it costs to change to another kind in the next bar that is played.
const CHANGE: f64 = 4.0;
/// What other drums play counts so much, and at most so many nats a bar.
const OTHERS: f64 = 0.25;
const MOST_OF_OTHERS: f64 = 3.0;
/// The deviations that are reckoned with, in ms: nobody is nearer, and what is further tells no kinds apart.
const SIGMA: (f64, f64) = (1.5, 20.0);
/// A drum is never taken for later or earlier than that on the whole, in ms.
const LEAN: f64 = 25.0;
/// Nearer to straight is no swing, in %, unless it is exact; see [`EXACT`].
const LEAST_SWING: f64 = 1.5;
/// What is exact is swung where its seconds are so many ms late.
const EXACT: f64 = 0.7;
/// The swing of triplets without the middle one.
const TRIPLETS: f64 = 200.0 / 3.0;
/// What is played on other lines than it was meant for costs so many nats a bar.
const OTHERWISE: f64 = 1.0;
/// Where the mean is further from where it was looked for, in %, something else lies there.
const DRIFT: f64 = 4.0;
/// Better than straight by so many nats, or it is no swing.
const SURE: f64 = 5.0;

/// Straight 16ths, swung 16ths, swung 8ths, 8th triplets, 16th triplets, 32nds.
const TYPES: usize = 6;
const STRAIGHT: usize = 0;
const SWUNG_16: usize = 1;
const SWUNG_8: usize = 2;
const TRIPLET_8: usize = 3;
const TRIPLET_16: usize = 4;
const STRAIGHT_32: usize = 5;
const SWINGS: [usize; 2] = [SWUNG_16, SWUNG_8];

/// One kind of lines that bars are held against.
#[derive(Clone, Debug)]
struct Kind {
    of: usize,
    lines: Lines,
    /// How far each place is behind the line nearest to it, in beats.
    behind: Rc<[f32]>,
    /// For each hit: how dense the lines are, beside 16ths.
    each: f64,
    /// For each bar.
    rare: f64,
}

/// Makes kinds, each of the same lines once.
struct Kinds {
    ppq: Ppq,
    known: Vec<Kind>,
}

impl Kinds {
    fn of(&mut self, of: usize, lines: Lines) -> Kind {
        if let Some(known) = self.known.iter().find(|kind| kind.of == of && kind.lines == lines) {
            return known.clone();
        }
        let (each, rare) = [(0.0, 0.0), (0.0, 0.05), (0.0, 0.05), (0.0, 0.6), (0.405, 1.0), (0.693, 1.0)][of];
        let quarter = self.ppq.as_f64();
        let in_bar = lines.in_bar_of(4.0 * quarter, self.ppq);
        let behind = |place: usize| {
            // In the second beat, so that there are lines on both sides.
            let within = quarter * (1.0 + place as f64 / PLACES as f64);
            ((within - in_bar.nearest(within)) / quarter) as f32
        };
        let kind = Kind { of, lines, behind: (0..PLACES).map(behind).collect(), each, rare };
        self.known.push(kind.clone());
        kind
    }

    fn usual(&mut self) -> Vec<Kind> {
        vec![
            self.of(STRAIGHT, Lines::of(Grid::SIXTEENTHS)),
            self.of(TRIPLET_8, Lines::of(Grid::triplet(8))),
            self.of(TRIPLET_16, Lines::of(Grid::triplet(16))),
            self.of(STRAIGHT_32, Lines::of(Grid::straight(32))),
        ]
    }

    fn swung(&mut self, of: usize, swing: f64) -> Kind {
        let lines = Lines::swung(Grid::SIXTEENTHS, Percent(swing));
        let pairs = (of == SWUNG_8).then(|| Grid::straight(8));
        self.of(of, Lines { of: pairs, ..lines })
    }
}

impl Kind {
    /// In compound metres 8ths come in threes: they are no pairs, and triplets of a quarter lie nowhere.
    fn is_of(&self, compound: bool) -> bool {
        !compound || matches!(self.of, STRAIGHT | SWUNG_16 | STRAIGHT_32)
    }
}

/// A bar in which a drum is struck.
#[derive(Clone, Copy, Debug)]
struct Struck {
    number: u32,
    /// Its place among all bars that are played.
    among: usize,
    compound: bool,
    /// The ms of a beat.
    beat: f64,
    /// Up to where its hits go; they begin where the bar before ends.
    end: usize,
}

/// One drum: where in their beats its hits lie, and how it is played.
struct Drum {
    bars: Vec<Struck>,
    /// Of each hit.
    places: Vec<u16>,
    /// How many hits lie at each place, and the sum of where exactly.
    counts: Vec<u32>,
    sums: Vec<f64>,
    /// The ms of a beat on average, hit by hit.
    beat: f64,
    kinds: Vec<Kind>,
    sigma: f64,
    lean: f64,
    /// For each bar which kind it is, and what it was written for, where that is known.
    chosen: Vec<usize>,
    written: Vec<Option<Lines>>,
}

/// What each drum is meant for, from the ticks of each, ascending; and at last what the part is on the whole. Where it is known
/// what they were written for they are taken to be played on that, unless others fit clearly better.
pub(crate) fn reference(
    metre: &MetreMap,
    tempo: &TempoMap,
    drums: &[Vec<f64>],
    written: Option<&[&[LinesFrom]]>,
) -> Vec<Vec<LinesFrom>> {
    let mut kinds = Kinds { ppq: metre.ppq(), known: Vec::new() };
    let struck: Vec<usize> = (0..drums.len()).filter(|&drum| !drums[drum].is_empty()).collect();
    let mut all: Vec<Drum> = struck.iter().map(|&drum| Drum::new(metre, tempo, &drums[drum])).collect();
    let mut numbers: Vec<u32> = all.iter().flat_map(|drum| drum.bars.iter().map(|bar| bar.number)).collect();
    numbers.sort_unstable();
    numbers.dedup();
    for (drum, &place) in all.iter_mut().zip(&struck) {
        for bar in &mut drum.bars {
            bar.among = numbers.binary_search(&bar.number).unwrap_or_default();
        }
        if let Some(written) = written {
            drum.written = drum.bars.iter().map(|bar| Some(lines_at(written[place], bar.number))).collect();
        }
    }
    // What all of them agree on, for those that say nothing themselves.
    let mut shared: Vec<Kind> = Vec::new();
    for of in SWINGS {
        let swing = Swings::of(&all, of).map(|swing| swing.swing);
        // What some were written for they may still be played on.
        let was = || {
            let lines = written.unwrap_or_default().iter().flat_map(|written| written.iter().map(|from| from.lines));
            lines.into_iter().find(|lines| type_of(lines) == of).map(|lines| lines.swing.0)
        };
        shared.extend(swing.or_else(was).map(|swing| kinds.swung(of, swing)));
    }
    for drum in &mut all {
        drum.look_for_kinds(&mut kinds, &shared);
        drum.settle();
        drum.look_for_kinds(&mut kinds, &shared);
    }
    let usual =
        median(&mut all.iter().filter(|drum| drum.places.len() >= 8).map(|drum| drum.sigma).collect::<Vec<_>>());
    for drum in all.iter_mut().filter(|drum| usual > 0.0 && drum.places.len() < 12) {
        let count = drum.places.len() as f64;
        drum.sigma = ((count * drum.sigma.powi(2) + 8.0 * usual.powi(2)) / (count + 8.0)).sqrt();
    }
    // Whoever plays a swing that nobody else has shown is followed by those that do not say otherwise.
    for of in SWINGS {
        if shared.iter().all(|kind| kind.of != of) {
            let of_it = |drum: &Drum| drum.kinds.iter().find(|kind| kind.of == of).cloned();
            let busiest = all.iter().filter(|drum| of_it(drum).is_some()).max_by_key(|drum| drum.places.len());
            let Some(kind) = busiest.and_then(of_it) else { continue };
            for drum in all.iter_mut().filter(|drum| drum.kinds.iter().all(|kind| kind.of != of)) {
                drum.kinds.push(kind.clone());
            }
        }
    }
    let costs: Vec<Vec<f64>> = all.iter().map(Drum::costs).collect();
    let own: Vec<Vec<[f64; TYPES]>> = all.iter().zip(&costs).map(|(drum, costs)| drum.by_type(costs)).collect();
    let mut pooled = vec![[0.0; TYPES]; numbers.len()];
    for (drum, own) in all.iter().zip(&own) {
        for (bar, own) in drum.bars.iter().zip(own) {
            pooled[bar.among].iter_mut().zip(own).for_each(|(sum, cost)| *sum += cost);
        }
    }
    for ((drum, costs), own) in all.iter_mut().zip(&costs).zip(&own) {
        drum.choose(costs, &pooled, own);
    }
    let straight = || vec![LinesFrom { bar: 1, lines: Lines::of(Grid::SIXTEENTHS) }];
    let mut found: Vec<Vec<LinesFrom>> = vec![Vec::new(); drums.len()];
    all.iter().zip(&struck).for_each(|(drum, &place)| found[place] = drum.stretches());
    let busiest = all.iter().zip(&struck).max_by_key(|(drum, place)| (drum.places.len(), usize::MAX - **place));
    let of_all = busiest.map_or_else(straight, |(_, &place)| found[place].clone());
    found.iter_mut().filter(|lines| lines.is_empty()).for_each(|lines| *lines = straight());
    found.push(of_all);
    found
}

/// Which type some lines are; others than those that are looked for count as 16ths.
fn type_of(lines: &Lines) -> usize {
    let eighths = Grid::straight(8);
    match lines.grid {
        _ if !lines.is_straight() && lines.pairs_of() == eighths => SWUNG_8,
        _ if !lines.is_straight() => SWUNG_16,
        grid if grid == Grid::triplet(8) => TRIPLET_8,
        grid if grid == Grid::triplet(16) => TRIPLET_16,
        grid if grid == Grid::straight(32) => STRAIGHT_32,
        _ => STRAIGHT,
    }
}

/// What the other drums of a bar say against each kind.
fn of_others(all: &[f64; TYPES], own: &[f64; TYPES]) -> [f64; TYPES] {
    let others: [f64; TYPES] = std::array::from_fn(|of| all[of] - own[of]);
    let least = others.iter().copied().fold(f64::INFINITY, f64::min);
    others.map(|cost| (OTHERS * (cost - least)).min(MOST_OF_OTHERS))
}

impl Drum {
    fn new(metre: &MetreMap, tempo: &TempoMap, ticks: &[f64]) -> Drum {
        let quarter = metre.ppq().as_f64();
        let mut bars: Vec<Struck> = Vec::new();
        let mut places = Vec::with_capacity(ticks.len());
        let (mut counts, mut sums, mut beats) = (vec![0u32; PLACES], vec![0.0; PLACES], 0.0);
        let (mut from, mut until, mut beat) = (0.0, f64::NEG_INFINITY, 0.0);
        for (nth, &tick) in ticks.iter().enumerate() {
            if tick >= until {
                let bar = metre.bar_at(Ticks(tick));
                (from, until) = (bar.start.0, bar.start.0 + bar.length.0);
                beat = tempo.millis_per_tick(bar.start) * quarter;
                bars.push(Struck { number: bar.number, among: 0, compound: bar.metre.is_compound(), beat, end: nth });
            }
            let beats_in = (tick - from) / quarter;
            let exact = beats_in - beats_in.floor();
            let rounded = (exact * PLACES as f64 + 0.5) as usize;
            let (place, exact) = if rounded == PLACES { (0, exact - 1.0) } else { (rounded, exact) };
            places.push(place as u16);
            counts[place] += 1;
            sums[place] += exact;
            beats += beat;
            if let Some(bar) = bars.last_mut() {
                bar.end = nth + 1;
            }
        }
        let (chosen, written) = (vec![0; bars.len()], vec![None; bars.len()]);
        let beat = beats / ticks.len().max(1) as f64;
        Drum { bars, places, counts, sums, beat, kinds: Vec::new(), sigma: 10.0, lean: 0.0, chosen, written }
    }

    fn look_for_kinds(&mut self, kinds: &mut Kinds, others: &[Kind]) {
        self.kinds = kinds.usual();
        for of in SWINGS {
            let shared = others.iter().find(|kind| kind.of == of).map(|kind| kind.lines.swing.0);
            let own = Swings::of([&*self], of);
            // What is no further from the others than chance goes is theirs.
            let swing = match (own, shared) {
                (Some(own), Some(shared)) if (own.swing - shared).abs() <= 2.5 * own.error => Some(shared),
                (own, shared) => own.map(|own| own.swing).or(shared),
            };
            self.kinds.extend(swing.map(|swing| kinds.swung(of, swing)));
        }
    }

    /// How late it is on the whole, and how loose, by the kind that fits it best on the whole.
    fn settle(&mut self) {
        let scale = 0.5 * (self.beat / self.sigma).powi(2);
        let cost = |kind: &Kind| -> f64 {
            let one = |(&count, &behind): (&u32, &f32)| {
                f64::from(count) * ((f64::from(behind).powi(2) * scale).min(MOST) + kind.each)
            };
            self.counts.iter().zip(kind.behind.iter()).filter(|(count, _)| **count > 0).map(one).sum()
        };
        let Some(best) = self.kinds.iter().min_by(|a, b| cost(a).total_cmp(&cost(b))) else { return };
        let late = self.counts.iter().zip(best.behind.iter()).filter(|(count, _)| **count > 0);
        let mut late: Vec<(f64, u32)> = late.map(|(&count, &behind)| (f64::from(behind) * self.beat, count)).collect();
        self.lean = weighted_median(&mut late).clamp(-LEAN, LEAN);
        late.iter_mut().for_each(|late| late.0 = (late.0 - self.lean).abs());
        // The median of what is bell-shaped, taken off, is so much of its deviation.
        self.sigma = (1.4826 * weighted_median(&mut late)).clamp(SIGMA.0, SIGMA.1);
    }

    /// What each kind costs in each bar.
    fn costs(&self) -> Vec<f64> {
        let mut costs = Vec::with_capacity(self.bars.len() * self.kinds.len());
        let mut from = 0;
        // What the places of each kind cost, as long as the tempo is one.
        let mut tables: Vec<f32> = Vec::new();
        let mut of_beat = f64::NAN;
        for bar in &self.bars {
            if bar.beat != of_beat {
                of_beat = bar.beat;
                let scale = 0.5 * (bar.beat / self.sigma).powi(2);
                let shift = (self.lean / bar.beat * PLACES as f64).round() as i64;
                let cost = |behind: f32| (f64::from(behind).powi(2) * scale).min(MOST) as f32;
                tables.clear();
                for place in 0..PLACES as i64 {
                    let place = (place - shift).rem_euclid(PLACES as i64) as usize;
                    tables.extend(self.kinds.iter().map(|kind| cost(kind.behind[place]) + kind.each as f32));
                }
            }
            let first = costs.len();
            costs
                .extend(self.kinds.iter().map(|kind| if kind.is_of(bar.compound) { kind.rare } else { f64::INFINITY }));
            let sums = &mut costs[first..];
            let kinds = sums.len();
            for &place in &self.places[from..bar.end] {
                let table = &tables[usize::from(place) * kinds..][..kinds];
                sums.iter_mut().zip(table).for_each(|(sum, &cost)| *sum += f64::from(cost));
            }
            from = bar.end;
        }
        costs
    }

    /// The least of each type in each bar.
    fn by_type(&self, costs: &[f64]) -> Vec<[f64; TYPES]> {
        let of_bar = |costs: &[f64]| {
            let mut least = [f64::INFINITY; TYPES];
            costs.iter().zip(&self.kinds).for_each(|(&cost, kind)| least[kind.of] = least[kind.of].min(cost));
            let worst = least.iter().copied().filter(|cost| cost.is_finite()).fold(0.0, f64::max);
            least.map(|cost| if cost.is_finite() { cost } else { worst })
        };
        costs.chunks(self.kinds.len()).map(of_bar).collect()
    }

    /// The way through the bars that costs least.
    fn choose(&mut self, costs: &[f64], pooled: &[[f64; TYPES]], own: &[[f64; TYPES]]) {
        let kinds = self.kinds.len();
        let mut so_far = vec![0.0; kinds];
        let mut came_from: Vec<usize> = Vec::with_capacity(costs.len());
        let least_of = |values: &[f64]| (0..kinds).min_by(|&a, &b| values[a].total_cmp(&values[b])).unwrap_or(0);
        for (nth, costs) in costs.chunks(kinds).enumerate() {
            let others = of_others(&pooled[self.bars[nth].among], &own[nth]);
            let written = self.written[nth].map(|lines| type_of(&lines));
            let least = least_of(&so_far);
            let changed = so_far[least] + CHANGE;
            for kind in 0..kinds {
                let of = self.kinds[kind].of;
                let stays = nth == 0 || so_far[kind] <= changed;
                came_from.push(if stays { kind } else { least });
                let otherwise = if written.is_some_and(|written| written != of) { OTHERWISE } else { 0.0 };
                so_far[kind] = if stays { so_far[kind] } else { changed } + costs[kind] + others[of] + otherwise;
            }
        }
        let mut kind = least_of(&so_far);
        for nth in (0..self.bars.len()).rev() {
            self.chosen[nth] = kind;
            kind = came_from[nth * kinds + kind];
        }
    }

    /// Its kinds from bar to bar, as they are called: where nothing is between swung 8ths they are 8ths alone, and what is
    /// swung as far as triplets are is called by what is played of them.
    fn stretches(&self) -> Vec<LinesFrom> {
        let mut found: Vec<LinesFrom> = Vec::new();
        let (mut nth, mut from) = (0, 0);
        while nth < self.bars.len() {
            let kind = self.chosen[nth];
            let last = (nth..self.bars.len()).take_while(|&bar| self.chosen[bar] == kind).last().unwrap_or(nth);
            let lines = called(&self.kinds[kind], &self.places[from..self.bars[last].end]);
            if found.last().is_none_or(|before| before.lines != lines) {
                let bar = if found.is_empty() { 1 } else { self.bars[nth].number };
                found.push(LinesFrom { bar, lines });
            }
            (nth, from) = (last + 1, self.bars[last].end);
        }
        found
    }
}

/// The middle of values that come so often each, which are put in order.
fn weighted_median(values: &mut [(f64, u32)]) -> f64 {
    values.sort_by(|a, b| a.0.total_cmp(&b.0));
    let half = values.iter().map(|(_, count)| u64::from(*count)).sum::<u64>() / 2;
    let mut below = 0;
    let reaches = |(_, count): &&(f64, u32)| {
        below += u64::from(*count);
        below > half
    };
    values.iter().find(reaches).map_or(0.0, |(value, _)| *value)
}

fn called(kind: &Kind, places: &[u16]) -> Lines {
    let lines = kind.lines;
    if !matches!(kind.of, SWUNG_8 | TRIPLET_8) {
        return lines;
    }
    // The lines of a beat, and how many hits lie nearest to each.
    let second = if kind.of == TRIPLET_8 { 2.0 / 3.0 } else { lines.swing.factor() };
    let of_beat = match kind.of {
        TRIPLET_8 => [0.0, 1.0 / 3.0, second, f64::INFINITY, 1.0],
        _ => [0.0, second / 2.0, second, (1.0 + second) / 2.0, 1.0],
    };
    let mut counts = [0usize; 5];
    let nearest =
        |place: f64| (0..5).min_by(|&a, &b| (of_beat[a] - place).abs().total_cmp(&(of_beat[b] - place).abs()));
    places.iter().for_each(|&place| counts[nearest(f64::from(place) / PLACES as f64).unwrap_or(0)] += 1);
    let [_, first, seconds, last, _] = counts;
    let eighths = Grid::straight(8);
    match kind.of {
        TRIPLET_8 if first == 0 && seconds >= 4 => Lines::swung(eighths, Percent(TRIPLETS)),
        TRIPLET_8 => lines,
        _ if first + last == 0 => Lines::swung(eighths, lines.swing),
        _ if (lines.swing.0 - TRIPLETS).abs() < 2.5 && last == 0 && 6 * first >= seconds => Lines::of(Grid::triplet(8)),
        _ => lines,
    }
}

/// How far some drums are swung.
#[derive(Clone, Copy, Debug)]
struct Swing {
    /// In %.
    swing: f64,
    /// The standard error of it; 0 where it is exact.
    error: f64,
}

/// Where in pairs hits lie.
struct Swings {
    /// How many hits lie at each place, of so many of a pair, and the sum of where exactly, in shares of the pair.
    places: Vec<(u32, f64)>,
    count: usize,
    /// A pair in ms, of all hits together.
    pair_ms: f64,
    sigma: f64,
}

impl Swings {
    /// How some drums may be swung.
    fn of<'a>(drums: impl IntoIterator<Item = &'a Drum>, of: usize) -> Option<Swing> {
        // A pair of 8ths is a beat, one of 16ths half of it.
        let share = if of == SWUNG_8 { 1 } else { 2 };
        let places = PLACES / share;
        let mut swings = Swings { places: vec![(0, 0.0); places], count: 0, pair_ms: 0.0, sigma: SIGMA.0 };
        for drum in drums {
            let compound = drum.bars.iter().filter(|bar| bar.compound).count();
            if of == SWUNG_8 && 2 * compound > drum.bars.len() {
                continue;
            }
            swings.sigma = swings.sigma.max(drum.sigma);
            for (place, (&count, &sum)) in
                drum.counts.iter().zip(&drum.sums).enumerate().filter(|(_, (count, _))| **count > 0)
            {
                let pair = &mut swings.places[place % places];
                let before = (place / places) as f64 / share as f64;
                *pair = (pair.0 + count, pair.1 + (sum - f64::from(count) * before) * share as f64);
            }
            swings.count += drum.places.len();
            swings.pair_ms += drum.beat / share as f64 * drum.places.len() as f64;
        }
        swings.found(of)
    }

    fn found(mut self, of: usize) -> Option<Swing> {
        if self.count < 4 {
            return None;
        }
        self.pair_ms /= self.count as f64;
        let there: Vec<(f64, f64)> = (0..)
            .zip(&self.places)
            .filter(|(_, (count, _))| *count > 0)
            .map(|(place, (count, _))| (f64::from(place) / self.places.len() as f64, f64::from(*count)))
            .collect();
        let cost = |swing: f64| self.cost(&there, of, swing);
        let tried = (80..=150).map(|half| 0.5 * f64::from(half)).map(|swing| (swing, cost(swing)));
        let (straight, (swing, least)) = (cost(50.0), tried.min_by(|a, b| a.1.total_cmp(&b.1))?);
        let found = self.refined(swing)?;
        let is_exact = found.error == 0.0;
        let enough = if is_exact { 100.0 * EXACT / self.pair_ms } else { LEAST_SWING };
        let of_triplets = of == SWUNG_8 && (found.swing - TRIPLETS).abs() < DRIFT && self.has_triplets();
        (straight - least >= SURE && (found.swing - 50.0).abs() >= enough && !of_triplets).then_some(found)
    }

    /// Whether beats are divided by three rather than swung: the middle of three is struck, too, and nothing between the last
    /// and the next beat.
    fn has_triplets(&self) -> bool {
        let near = |place: f64| {
            let [from, to] = [-0.06, 0.06].map(|by| ((place + by) * self.places.len() as f64) as usize);
            self.places[from..to].iter().map(|(count, _)| count).sum::<u32>()
        };
        let [middle, last, behind] = [1.0 / 3.0, 2.0 / 3.0, 5.0 / 6.0].map(near);
        5 * middle >= 2 * last && 5 * behind < 2 * middle
    }

    /// What swinging so far costs in all.
    fn cost(&self, there: &[(f64, f64)], of: usize, swing: f64) -> f64 {
        let second = swing / 100.0;
        let lines = [0.0, second / 2.0, second, (1.0 + second) / 2.0, 1.0];
        let lines: &[f64] = if of == SWUNG_8 { &lines } else { &[0.0, second, 1.0] };
        let scale = 0.5 * (self.pair_ms / self.sigma).powi(2);
        let far = |place: f64| lines.iter().map(|line| (place - line).abs()).fold(f64::INFINITY, f64::min);
        there.iter().map(|&(place, count)| count * (far(place).powi(2) * scale).min(MOST)).sum()
    }

    /// Where the second of a pair lies on average near to a place, from where the first does: exactly, where most lie at one.
    fn refined(&self, swing: f64) -> Option<Swing> {
        let reach = (2.5 * self.sigma / self.pair_ms).min(0.12);
        let first = self.around(0.0, reach).map_or((0.0, true), |(place, exact, _)| (place, exact));
        let mut middle = swing / 100.0;
        let mut found = None;
        for _ in 0..3 {
            let (place, exact, hits) = self.around(middle, reach)?;
            if hits < self.count / 12 {
                return None;
            }
            let error = 100.0 * self.sigma / self.pair_ms / (hits as f64).sqrt();
            found = Some((place - first.0, if exact && first.1 { 0.0 } else { error }));
            middle = place;
        }
        let (place, error) = found?;
        ((100.0 * middle - swing).abs() <= DRIFT).then_some(Swing { swing: 100.0 * place, error })
    }

    /// Where those lie on average that lie around a place of the pair, whether most lie at one, and how many there are; nothing
    /// where there are too few to say.
    fn around(&self, middle: f64, reach: f64) -> Option<(f64, bool, usize)> {
        let places = self.places.len() as i64;
        let at = |share: f64| (share * places as f64).round() as i64;
        let (mut sum, mut count, mut most) = (0.0, 0u32, (0u32, 0.0));
        for place in at(middle - reach)..=at(middle + reach) {
            let (here, exact) = self.places[place.rem_euclid(places) as usize];
            // Where places go round, so does where exactly they lie.
            let exact = exact + f64::from(here) * place.div_euclid(places) as f64;
            (sum, count) = (sum + exact, count + here);
            if here > most.0 {
                most = (here, exact / f64::from(here));
            }
        }
        if count < 4 {
            return None;
        }
        let is_exact = 5 * most.0 >= 3 * count;
        Some((if is_exact { most.1 } else { sum / f64::from(count) }, is_exact, count as usize))
    }
}

/// Whether hits keep their places in the beat from some lines to others: both divide it by two and two.
pub(crate) fn keeps_places(was: &Lines, now: &Lines) -> bool {
    let by_two = |lines: &Lines| {
        matches!(type_of(lines), STRAIGHT | SWUNG_16 | SWUNG_8 | STRAIGHT_32) && !lines.grid.is_tuplet()
    };
    was == now || (by_two(was) && by_two(now))
}

/// Lines of a bar, by the last entry that begins up to it.
pub(crate) fn lines_at(stretches: &[LinesFrom], bar: u32) -> Lines {
    let after = stretches.partition_point(|from| from.bar <= bar);
    stretches.get(after.max(1) - 1).map_or(Lines::of(Grid::SIXTEENTHS), |from| from.lines)
}

/// The lines of ascending positions, each bar looked up once.
pub(crate) struct LineFinder<'a> {
    metre: &'a MetreMap,
    stretches: &'a [LinesFrom],
    from: f64,
    until: f64,
    in_bar: Option<InBar>,
}

impl<'a> LineFinder<'a> {
    pub(crate) fn new(metre: &'a MetreMap, stretches: &'a [LinesFrom]) -> LineFinder<'a> {
        LineFinder { metre, stretches, from: 0.0, until: f64::NEG_INFINITY, in_bar: None }
    }

    /// The line nearest to a position, and where it would lie if all was straight.
    pub(crate) fn line(&mut self, at: f64) -> (f64, f64) {
        if at >= self.until || at < self.from || self.in_bar.is_none() {
            let bar = self.metre.bar_at(Ticks(at));
            (self.from, self.until) = (bar.start.0, bar.start.0 + bar.length.0);
            self.in_bar = Some(lines_at(self.stretches, bar.number).in_bar(&bar, self.metre.ppq()));
        }
        let Some(in_bar) = self.in_bar else { return (at, at) };
        let line = in_bar.nearest((at - self.from).max(0.0));
        (self.from + line, self.from + in_bar.straight(line))
    }
}
