//! A newer version of a song: which of its hits were there before, and where its bars went.
//!
//! Bars are matched first, by the fewest bars that came, went or were varied; where the versions have too little in common
//! for that, by the longest runs of bars that hold the same (Myers 1986, Algorithmica 1: 251). Within a pair of bars hits are matched by their note and the nearest
//! place, in order. What is matched keeps its id, so that dice, picks and what was done by hand hold.

use crate::base::units::{Channel, Note, Ticks};
use crate::part::hit::{Hit, HitId, Part};
use crate::time::bars::BarMoves;
use crate::time::metre::{Bar, MetreMap};
use similar::{Algorithm, DiffOp, capture_diff_slices};
use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::ops::Range;

/// A part of a file, as far as it is told from others.
#[derive(Clone, Copy, Debug)]
pub struct Candidate<'a> {
    /// What it is called there.
    pub name: &'a str,
    /// Its channel.
    pub channel: Channel,
    /// It looks like drums.
    pub drums: bool,
    /// Its hits.
    pub part: &'a Part,
}

impl Candidate<'_> {
    fn notes(&self) -> BTreeSet<Note> {
        self.part.hits().iter().map(|hit| hit.note).collect()
    }

    /// How much two parts are alike; nothing where they are not the same part.
    fn likeness(&self, other: &Candidate<'_>) -> Option<f64> {
        let (own, its) = (self.notes(), other.notes());
        let shared = own.intersection(&its).count() as f64 / own.union(&its).count().max(1) as f64;
        let named = !self.name.is_empty() && self.name == other.name;
        let alike = named || shared >= 0.4;
        let score = 3.0 * f64::from(u8::from(named))
            + f64::from(u8::from(self.channel == other.channel))
            + f64::from(u8::from(self.drums == other.drums))
            + 2.0 * shared;
        (alike && (self.drums == other.drums || shared >= 0.4)).then_some(score)
    }
}

/// For each old part its place among the new ones; nothing where it is gone.
pub fn match_parts(old: &[Candidate<'_>], new: &[Candidate<'_>]) -> Vec<Option<usize>> {
    let mut scores: Vec<(f64, usize, usize)> = Vec::new();
    for (from, one) in old.iter().enumerate() {
        scores.extend(new.iter().enumerate().filter_map(|(to, other)| Some((one.likeness(other)?, from, to))));
    }
    // The likest first; of equals those that stand where they stood.
    scores.sort_by(|a, b| {
        let apart = |one: &(f64, usize, usize)| one.1.abs_diff(one.2);
        b.0.total_cmp(&a.0).then(apart(a).cmp(&apart(b))).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2))
    });
    let mut found = vec![None; old.len()];
    let mut taken = vec![false; new.len()];
    for (_, from, to) in scores {
        if found[from].is_none() && !taken[to] {
            found[from] = Some(to);
            taken[to] = true;
        }
    }
    found
}

/// A part in its old and its new version.
#[derive(Clone, Copy, Debug)]
pub struct Versions<'a> {
    /// As it was.
    pub old: &'a Part,
    /// As it is now.
    pub new: &'a Part,
}

/// Which hits of a new version were there before, by their places in the parts.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Matching {
    /// Old and new, in the order of the new.
    pub pairs: Vec<(usize, usize)>,
    /// Those of the pairs that lie elsewhere in their bar.
    pub moved: Vec<(usize, usize)>,
    /// Old ones that are gone.
    pub gone: Vec<usize>,
    /// New ones that came.
    pub came: Vec<usize>,
}

impl Matching {
    /// The ids of the new hits, by their places: matched ones keep theirs, others have new ones from `free` on.
    pub fn ids(&self, Versions { old, new }: Versions<'_>, free: u32) -> Vec<HitId> {
        let mut ids: Vec<Option<HitId>> = vec![None; new.hits().len()];
        for &(from, to) in &self.pairs {
            ids[to] = Some(old.hits()[from].id);
        }
        let mut free = free..;
        ids.into_iter().map(|id| id.unwrap_or_else(|| HitId::new(free.next().unwrap_or(u32::MAX)))).collect()
    }
}

/// A newer version of a song's parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refit {
    /// Where the bars went.
    pub moves: BarMoves,
    /// Each part's hits.
    pub parts: Vec<Matching>,
}

/// The bars of a part: of each its hits by their index, with note and place from its start in quarter notes.
struct Barred {
    bars: Vec<Vec<(Note, f64, usize)>>,
}

/// So many bars are counted; no song has more.
const MOST_BARS: u32 = 20_000;

impl Barred {
    fn new(part: &Part, metre: &MetreMap, count: u32) -> Barred {
        let mut bars: Vec<Vec<(Note, f64, usize)>> = vec![Vec::new(); count as usize];
        let quarter = metre.ppq().as_f64();
        for (index, hit) in part.hits().iter().enumerate() {
            let bar = bar_of(hit, metre);
            if let Some(own) = bars.get_mut(bar.number as usize - 1) {
                own.push((hit.note, (hit.tick - bar.start).0 / quarter, index));
            }
        }
        for own in &mut bars {
            own.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        }
        Barred { bars }
    }
}

/// The bar that a hit belongs to: one a hair before a bar line belongs to the bar behind it.
fn bar_of<'a>(hit: &Hit, metre: &'a MetreMap) -> Bar<'a> {
    metre.bar_at(Ticks(hit.tick.0 + metre.ppq().as_f64() / 24.0))
}

/// How many bars parts have together.
fn count_bars<'a>(parts: impl Iterator<Item = &'a Part>, metre: &MetreMap) -> u32 {
    let last = parts.filter_map(|part| part.hits().last()).map(|hit| bar_of(hit, metre).number).max();
    last.unwrap_or(1).min(MOST_BARS)
}

/// What a bar holds, to a 48th of a quarter note, as a number.
fn fingerprint(barred: &[Barred], bar: usize, length: f64) -> u64 {
    let mut hasher = DefaultHasher::new();
    ((length * 48.0).round() as i64).hash(&mut hasher);
    for own in barred {
        for (note, place, _) in &own.bars[bar] {
            (note.get(), (place * 48.0).round() as i64).hash(&mut hasher);
        }
        u8::MAX.hash(&mut hasher);
    }
    hasher.finish()
}

/// Matches a song's parts with their newer versions.
pub fn refit(parts: &[Versions<'_>], from: &MetreMap, to: &MetreMap) -> Refit {
    let old_count = count_bars(parts.iter().map(|part| part.old), from);
    let new_count = count_bars(parts.iter().map(|part| part.new), to);
    let old: Vec<Barred> = parts.iter().map(|part| Barred::new(part.old, from, old_count)).collect();
    let new: Vec<Barred> = parts.iter().map(|part| Barred::new(part.new, to, new_count)).collect();
    let prints = |barred: &[Barred], metre: &MetreMap, count: u32| -> Vec<u64> {
        let length = |bar: u32| metre.bar(bar + 1).length.0 / metre.ppq().as_f64();
        (0..count).map(|bar| fingerprint(barred, bar as usize, length(bar))).collect()
    };
    let (left, right) = (prints(&old, from, old_count), prints(&new, to, new_count));
    let sketches = |all: &[Barred], count: u32| (0..count as usize).map(|bar| sketch(all, bar)).collect::<Vec<_>>();
    let (drawn, redrawn) = (sketches(&old, old_count), sketches(&new, new_count));
    let alike = |from: usize, to: usize| likeness(&drawn[from], &redrawn[to]) >= 0.5;
    let bars = aligned(&left, &right, alike).unwrap_or_else(|| by_runs(&left, &right, &drawn, &redrawn));
    let bars: Vec<Option<u32>> = bars.into_iter().map(|bar| bar.map(|bar| bar as u32 + 1)).collect();
    let parts =
        (0..parts.len()).map(|place| matching(&parts[place], &old[place], &new[place], &bars, from, to)).collect();
    Refit { moves: BarMoves::new(bars), parts }
}

/// The strokes of a bar by 16ths, in order.
type Sketch = Vec<(usize, Note, i64)>;

fn sketch(all: &[Barred], bar: usize) -> Sketch {
    let mut found: Sketch = Vec::new();
    for (part, own) in all.iter().enumerate() {
        found.extend(own.bars[bar].iter().map(|(note, place, _)| (part, *note, (place * 4.0).round() as i64)));
    }
    found.sort_unstable();
    found
}

/// How much of two bars is alike, from 0 to 1. Two empty ones are.
fn likeness(one: &Sketch, other: &Sketch) -> f64 {
    let (mut left, mut right, mut shared) = (0, 0, 0);
    while left < one.len() && right < other.len() {
        match one[left].cmp(&other[right]) {
            Ordering::Less => left += 1,
            Ordering::Greater => right += 1,
            Ordering::Equal => (left, right, shared) = (left + 1, right + 1, shared + 1),
        }
    }
    match one.len().max(other.len()) {
        0 => 1.0,
        all => f64::from(shared) / all as f64,
    }
}

/// The bar that each old one is now, by the fewest changes: a bar that came or went counts 2, one that was varied 1, one
/// that was written anew in its place 3 (Ukkonen 1985, Information and Control 64: 100). Nothing where the versions
/// have too little in common for that.
fn aligned(left: &[u64], right: &[u64], alike: impl Fn(usize, usize) -> bool) -> Option<Vec<Option<usize>>> {
    /// So many bars may have come or gone.
    const WIDEST: usize = 128;
    let apart = left.len().abs_diff(right.len());
    let mut width = 4;
    while width <= WIDEST {
        if apart <= width
            && let Some(found) = within_band(left, right, width, &alike)
        {
            return Some(found);
        }
        width *= 2;
    }
    None
}

/// The same, as long as never more bars than `width` have come or gone.
fn within_band(
    left: &[u64],
    right: &[u64],
    width: usize,
    alike: &impl Fn(usize, usize) -> bool,
) -> Option<Vec<Option<usize>>> {
    const NEVER: u32 = u32::MAX / 2;
    let across = 2 * width + 1;
    // Row by row; in a row the place `slot` stands for the new bar `row + slot - width`.
    let mut ways = vec![0_u8; (left.len() + 1) * across];
    let mut before = vec![NEVER; across];
    for row in 0..=left.len() {
        let mut now = vec![NEVER; across];
        for slot in 0..across {
            let Some(column) = (row + slot).checked_sub(width).filter(|column| *column <= right.len()) else {
                continue;
            };
            let mut best = (if row == 0 && column == 0 { 0 } else { NEVER }, 0);
            if row > 0 && column > 0 {
                let cost = match () {
                    () if left[row - 1] == right[column - 1] => 0,
                    () if alike(row - 1, column - 1) => 1,
                    () => 3,
                };
                best = best.min((before[slot] + cost, 1));
            }
            if row > 0 && slot + 1 < across {
                best = best.min((before[slot + 1] + 2, 2));
            }
            if column > 0 && slot > 0 {
                best = best.min((now[slot - 1] + 2, 3));
            }
            (now[slot], ways[row * across + slot]) = best;
        }
        before = now;
    }
    let (mut row, mut column) = (left.len(), right.len());
    let slot = |row: usize, column: usize| column + width - row;
    // A way that leaves the band has more changes than these.
    if before[slot(row, column)] > 2 * width as u32 {
        return None;
    }
    let mut found = vec![None; left.len()];
    while row > 0 || column > 0 {
        match ways[row * across + slot(row, column)] {
            1 => {
                (row, column) = (row - 1, column - 1);
                found[row] = Some(column);
            }
            2 => row -= 1,
            _ => column -= 1,
        }
    }
    Some(found)
}

/// The bar that each old one is now, by the longest runs that hold the same, and between these in their order.
fn by_runs(left: &[u64], right: &[u64], drawn: &[Sketch], redrawn: &[Sketch]) -> Vec<Option<usize>> {
    let mut bars = vec![None; left.len()];
    let (mut from, mut to) = (0, 0);
    let ops = capture_diff_slices(Algorithm::Myers, left, right);
    let runs = ops.iter().filter_map(|op| match *op {
        DiffOp::Equal { old_index, new_index, len } => Some((old_index, new_index, len)),
        _ => None,
    });
    for (old_index, new_index, len) in runs.chain([(left.len(), right.len(), 0)]) {
        for (old, new) in gap(drawn, redrawn, from..old_index, to..new_index) {
            bars[old] = Some(new);
        }
        for step in 0..len {
            bars[old_index + step] = Some(new_index + step);
        }
        (from, to) = (old_index + len, new_index + len);
    }
    bars
}

/// Pairs of bars within a gap, in order, by how much of them is alike.
fn gap(old: &[Sketch], new: &[Sketch], from: Range<usize>, to: Range<usize>) -> Vec<(usize, usize)> {
    /// Larger gaps are matched one by one from their start.
    const MOST: usize = 250_000;
    let (rows, columns) = (from.len(), to.len());
    if rows == columns || rows.saturating_mul(columns) > MOST {
        return from.zip(to).collect();
    }
    let mut best = vec![vec![0.0_f64; columns + 1]; rows + 1];
    for row in (0..rows).rev() {
        for column in (0..columns).rev() {
            let alike = 0.01 + likeness(&old[from.start + row], &new[to.start + column]);
            let paired = alike + best[row + 1][column + 1];
            best[row][column] = paired.max(best[row + 1][column]).max(best[row][column + 1]);
        }
    }
    let (mut row, mut column, mut pairs) = (0, 0, Vec::new());
    while row < rows && column < columns {
        if best[row][column] == best[row + 1][column] {
            row += 1;
        } else if best[row][column] == best[row][column + 1] {
            column += 1;
        } else {
            pairs.push((from.start + row, to.start + column));
            (row, column) = (row + 1, column + 1);
        }
    }
    pairs
}

/// Hits farther apart than this, in quarter notes, are others.
const FAR: f64 = 0.5;

fn matching(
    versions: &Versions<'_>,
    old: &Barred,
    new: &Barred,
    bars: &[Option<u32>],
    from: &MetreMap,
    to: &MetreMap,
) -> Matching {
    let mut of_old: Vec<Option<usize>> = vec![None; versions.old.hits().len()];
    let mut of_new: Vec<Option<usize>> = vec![None; versions.new.hits().len()];
    let mut moved = Vec::new();
    let mut pair = |from: (f64, usize), to: (f64, usize)| {
        of_old[from.1] = Some(to.1);
        of_new[to.1] = Some(from.1);
        if (from.0 - to.0).abs() > 1.0 / 96.0 {
            moved.push((from.1, to.1));
        }
    };
    for (bar, now) in bars.iter().enumerate() {
        let Some(now) = now.map(|now| now as usize - 1) else { continue };
        let own = old.bars[bar].chunk_by(|a, b| a.0 == b.0);
        let its: HashMap<Note, &[(Note, f64, usize)]> =
            new.bars[now].chunk_by(|a, b| a.0 == b.0).map(|chunk| (chunk[0].0, chunk)).collect();
        for chunk in own {
            let Some(other) = its.get(&chunk[0].0) else { continue };
            let places = |chunk: &[(Note, f64, usize)]| {
                chunk.iter().map(|&(_, place, index)| (place, index)).collect::<Vec<_>>()
            };
            nearest(&places(chunk), &places(other), &mut pair);
        }
    }
    // What went over a bar line, by where it would lie if its bar alone had moved.
    let quarter = from.ppq().as_f64();
    let mut left: BTreeMap<Note, Vec<(f64, usize)>> = BTreeMap::new();
    for (index, hit) in versions.old.hits().iter().enumerate().filter(|(index, _)| of_old[*index].is_none()) {
        let bar = from.bar_at(hit.tick);
        if let Some(now) = bars.get(bar.number as usize - 1).copied().flatten() {
            let start = to.bar(now).start.0 / to.ppq().as_f64();
            left.entry(hit.note).or_default().push((start + (hit.tick - bar.start).0 / quarter, index));
        }
    }
    let mut right: BTreeMap<Note, Vec<(f64, usize)>> = BTreeMap::new();
    for (index, hit) in versions.new.hits().iter().enumerate().filter(|(index, _)| of_new[*index].is_none()) {
        right.entry(hit.note).or_default().push((hit.tick.0 / to.ppq().as_f64(), index));
    }
    let mut across = Vec::new();
    for (note, mut own) in left {
        let Some(its) = right.get_mut(&note) else { continue };
        own.sort_by(|a, b| a.0.total_cmp(&b.0));
        its.sort_by(|a, b| a.0.total_cmp(&b.0));
        nearest(&own, its, &mut |from, to| across.push((from.1, to.1)));
    }
    for (from, to) in across {
        of_old[from] = Some(to);
        of_new[to] = Some(from);
        moved.push((from, to));
    }
    let none = |all: &[Option<usize>]| (0..all.len()).filter(|index| all[*index].is_none()).collect::<Vec<_>>();
    let pairs = of_new.iter().enumerate().filter_map(|(to, from)| Some(((*from)?, to))).collect();
    moved.sort_unstable();
    Matching { pairs, moved, gone: none(&of_old), came: none(&of_new) }
}

/// Pairs two ascending rows of places in order, so that as many as can be are paired and the pairs are near.
fn nearest(own: &[(f64, usize)], its: &[(f64, usize)], pair: &mut impl FnMut((f64, usize), (f64, usize))) {
    /// Rows that are longer together are paired from their start, each with the nearest that is left.
    const MOST: usize = 40_000;
    if own.len().saturating_mul(its.len()) > MOST {
        let mut next = 0;
        for &one in own {
            while next < its.len() && its[next].0 < one.0 - FAR {
                next += 1;
            }
            while next + 1 < its.len() && (its[next + 1].0 - one.0).abs() < (its[next].0 - one.0).abs() {
                next += 1;
            }
            if next < its.len() && (its[next].0 - one.0).abs() <= FAR {
                pair(one, its[next]);
                next += 1;
            }
        }
        return;
    }
    // The worth of pairing what is behind: a pair is worth more the nearer it is, and always more than none.
    let worth = |one: f64, other: f64| 1.0 + (FAR - (one - other).abs());
    let columns = its.len() + 1;
    let mut best = vec![0.0_f64; (own.len() + 1) * columns];
    for row in (0..own.len()).rev() {
        for column in (0..its.len()).rev() {
            let skipped = best[(row + 1) * columns + column].max(best[row * columns + column + 1]);
            let near = (own[row].0 - its[column].0).abs() <= FAR;
            let paired = worth(own[row].0, its[column].0) + best[(row + 1) * columns + column + 1];
            best[row * columns + column] = if near { f64::max(skipped, paired) } else { skipped };
        }
    }
    let (mut row, mut column) = (0, 0);
    while row < own.len() && column < its.len() {
        let now = best[row * columns + column];
        if now == best[(row + 1) * columns + column] {
            row += 1;
        } else if now == best[row * columns + column + 1] {
            column += 1;
        } else {
            pair(own[row], its[column]);
            (row, column) = (row + 1, column + 1);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Velocity;
    use crate::time::outline::Outline;

    fn part(hits: &[(f64, u8)]) -> Part {
        let hit = |(id, &(quarter, note)): (u32, &(f64, u8))| Hit {
            id: HitId::new(id),
            tick: Ticks((quarter * 960.0).round()),
            length: Ticks(60.0),
            velocity: Velocity::MAX,
            release: 64,
            note: Note::from_data(note),
            channel: Channel::PERCUSSION,
        };
        Part::new((0..).zip(hits).map(hit).collect())
    }

    fn metre() -> MetreMap {
        Outline::plain(64, 100.0, "4/4").maps().1
    }

    /// Eight bars, each with hats and one hit that is its own.
    fn song() -> Vec<(f64, u8)> {
        let mut hits = Vec::new();
        for bar in 0..8 {
            let start = 4.0 * f64::from(bar);
            hits.extend((0..8).map(|step| (start + 0.5 * f64::from(step), 42)));
            hits.push((start + 0.25 * f64::from(bar), 36 + bar as u8));
        }
        hits
    }

    fn refitted(old: &Part, new: &Part) -> (BarMoves, Matching) {
        let mut refit = refit(&[Versions { old, new }], &metre(), &metre());
        (refit.moves, refit.parts.remove(0))
    }

    #[test]
    fn a_bar_that_came_shifts_what_follows() {
        let old = part(&song());
        let mut longer: Vec<(f64, u8)> =
            song().iter().map(|&(at, note)| (if at >= 12.0 { at + 4.0 } else { at }, note)).collect();
        longer.push((13.0, 50));
        let new = part(&longer);
        let (moves, matching) = refitted(&old, &new);
        assert_eq!(
            (matching.pairs.len(), matching.gone.len(), matching.came.len(), matching.moved.len()),
            (72, 0, 1, 0)
        );
        assert_eq!([1, 3, 4, 8].map(|bar| moves.bar(bar)), [Some(1), Some(3), Some(5), Some(9)]);
        let ids = matching.ids(Versions { old: &old, new: &new }, 100);
        assert_eq!(ids.iter().filter(|id| id.get() >= 100).count(), 1);
    }

    #[test]
    fn hits_that_moved_a_little_are_the_same() {
        let old = part(&song());
        let shifted: Vec<(f64, u8)> =
            song().iter().map(|&(at, note)| (if note == 40 { at + 0.25 } else { at }, note)).collect();
        let (_, matching) = refitted(&old, &part(&shifted));
        assert_eq!((matching.pairs.len(), matching.moved.len()), (72, 1));
        // Over the bar line, too; but not by a bar.
        for (by, gone) in [(-0.3, 0), (3.0, 1)] {
            let moved: Vec<(f64, u8)> = song()
                .iter()
                .map(|&(at, note)| (if note == 36 && at < 1.0 { at + 4.0 + by } else { at + 4.0 }, note))
                .collect();
            let before: Vec<(f64, u8)> = song().iter().map(|&(at, note)| (at + 4.0, note)).collect();
            let (_, matching) = refitted(&part(&before), &part(&moved));
            assert_eq!((matching.gone.len(), matching.came.len()), (gone, gone), "by {by}");
        }
    }

    #[test]
    fn parts_are_told_apart() {
        let (drums, bass) = (part(&[(0.0, 36), (1.0, 38)]), part(&[(0.0, 40), (1.0, 43)]));
        let one = |name: &'static str, drums: bool, part| {
            let channel = if drums { Channel::PERCUSSION } else { Channel::new(0).unwrap() };
            Candidate { name, channel, drums, part }
        };
        let old = [one("Drums", true, &drums), one("Bass", false, &bass)];
        assert_eq!(match_parts(&old, &[one("Bass", false, &bass), one("Drums", true, &drums)]), [Some(1), Some(0)]);
        assert_eq!(match_parts(&old, &[one("Beat", true, &drums)]), [Some(0), None], "another name");
        let flute = part(&[(0.0, 80)]);
        assert_eq!(match_parts(&old, &[one("Flute", false, &flute)]), [None, None]);
        assert_eq!(match_parts(&old, &[]), [None, None]);
    }

    #[test]
    fn a_part_of_one_bar_with_very_many_hits_is_matched_quickly() {
        let many: Vec<(f64, u8)> = (0..20_000).map(|n| (f64::from(n) / 960.0 / 6.0, 42)).collect();
        let (_, matching) = refitted(&part(&many), &part(&many[..19_000]));
        assert!(matching.pairs.len() >= 18_900, "{}", matching.pairs.len());
    }
}
