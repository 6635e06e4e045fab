//! What core reads of performances of which everything is known.

use std::collections::{BTreeMap, BTreeSet};
use vivida_core::action::Strays;
use vivida_core::{Action, Aim, Context, Finding, HitId, Pass, Recipe, Rule, Thresholds, findings, perform};
use vivida_demo::performances::{Meaning, PlayedStroke, Playing, performed};
use vivida_smf::{SongFile, SongPart, read};

/// A performance as it was read, each hit with what it was.
struct Read {
    song: SongFile,
    strokes: Vec<PlayedStroke>,
}

impl Read {
    fn of(how: &Playing) -> Read {
        let (bytes, strokes) = performed(how);
        Read { song: read(&bytes).unwrap(), strokes }
    }

    fn part(&self) -> &SongPart {
        self.song.parts.iter().find(|part| part.drums).unwrap()
    }

    /// What each hit of the part was; two at one place are told apart by their order.
    fn truth(&self) -> Vec<(HitId, PlayedStroke)> {
        let mut left: BTreeMap<(u32, u8), Vec<PlayedStroke>> = BTreeMap::new();
        for stroke in self.strokes.iter().rev() {
            left.entry((stroke.tick, stroke.note)).or_default().push(*stroke);
        }
        let of = |hit: &vivida_core::Hit| {
            let key = ((hit.tick.0 / 2.0) as u32, hit.note.get());
            Some((hit.id, left.get_mut(&key)?.pop()?))
        };
        self.part().part.hits().iter().filter_map(of).collect()
    }
}

fn manner(how: &Playing) -> String {
    format!(
        "{} at {} bpm, {:?}, ± {:.1} ms, hat alone {}, triplets {}",
        how.seed, how.bpm, how.swing, how.deviation, how.hat_alone, how.triplet_fills
    )
}

/// Bars of drums whose lines are right, and all: every stroke's line is nearer than 1.2 % of a beat to the one it was meant for.
fn bars_right(how: &Playing, say: bool) -> (usize, usize) {
    let read = Read::of(how);
    let part = read.part();
    let chart = part.chart(true);
    let meant = chart.meant(&part.part, &read.song.metre, &read.song.tempo);
    let mut bars: BTreeMap<(u8, u32), bool> = BTreeMap::new();
    for (index, (_, stroke)) in
        read.truth().iter().enumerate().filter(|(_, (_, stroke))| stroke.meaning == Meaning::Stroke)
    {
        let (line, bar) = (meant.lines[index] / 2.0, (stroke.line / 1920.0) as u32 + 1);
        let right = (line - stroke.line).abs() <= 0.012 * 480.0;
        *bars.entry((stroke.note, bar)).or_insert(true) &= right;
    }
    let right = bars.values().filter(|right| **right).count();
    if say {
        let wrong: Vec<_> = bars.iter().filter(|(_, right)| !**right).map(|(bar, _)| *bar).collect();
        println!(
            "{}: {right} of {} bars; wrong (note, bar): {:?}",
            manner(how),
            bars.len(),
            &wrong[..wrong.len().min(12)]
        );
        for (place, one) in chart.kit.instruments.iter().enumerate().take(chart.listed) {
            if !chart.instruments.contains(&Some(place as u16)) {
                continue;
            }
            let lines: Vec<String> =
                meant.of_drum(Some(place)).iter().take(6).map(|from| format!("{}: {}", from.bar, from.lines)).collect();
            println!("  . {}: {}", one.name, lines.join("; "));
        }
    }
    (right, bars.len())
}

#[test]
fn lines_are_found() {
    let (mut right, mut all) = (0, 0);
    for seed in 1..=30 {
        let found = bars_right(&Playing::of(seed), true);
        (right, all) = (right + found.0, all + found.1);
    }
    println!("{right} of {all} bars are right: {:.2} %", 100.0 * right as f64 / all as f64);
    assert!(right as f64 >= 0.98 * all as f64, "{right} of {all}");
}

#[test]
fn grace_notes_are_found() {
    let (mut right, mut found, mut all) = (0, 0, 0);
    for seed in 1..=30 {
        let how = Playing::of(seed);
        let read = Read::of(&how);
        let part = read.part();
        let chart = part.chart(true);
        let meant = chart.meant(&part.part, &read.song.metre, &read.song.tempo);
        for (index, (_, stroke)) in read.truth().iter().enumerate() {
            let (is, was) = (meant.graces.is_one(index), stroke.meaning == Meaning::Grace);
            right += usize::from(is && was);
            found += usize::from(is);
            all += usize::from(was);
            if is != was {
                println!("{seed}: {is} but {was}, {stroke:?}");
            }
        }
    }
    println!("{right} of {all} grace notes, {found} found");
    assert!(right as f64 >= 0.95 * all as f64 && right as f64 >= 0.95 * found as f64);
}

impl Read {
    fn findings(&self) -> Vec<Finding> {
        let part = self.part();
        let (chart, context) = (part.chart(true), Context::new(&self.song.tempo, &self.song.metre));
        let performance = perform(&part.part, &chart, &Recipe::default(), &context);
        findings(&part.part, &chart, &context, &performance, &Thresholds::default())
    }
}

/// How often a rule is right of those times that it spoke, and of those times that it should have spoken.
#[derive(Default)]
struct Score {
    right: usize,
    said: usize,
    due: usize,
}

impl Score {
    fn take(&mut self, said: bool, due: bool, what: &str, how: &Playing) {
        self.right += usize::from(said && due);
        self.said += usize::from(said);
        self.due += usize::from(due);
        if said != due {
            println!("{what}: said {said}, due {due}: {}, rush {}, ragged {:?}", manner(how), how.rush, how.ragged);
        }
    }

    fn holds(&self, what: &str, least: f64) {
        let of = |all: usize| if all == 0 { 1.0 } else { self.right as f64 / all as f64 };
        let (precision, recall) = (of(self.said), of(self.due));
        println!("{what}: precision {precision:.3}, recall {recall:.3}, of {} said and {} due", self.said, self.due);
        assert!(precision >= 0.95 && recall >= least, "{what}");
    }
}

const RULES: [Rule; 4] = [Rule::Loose, Rule::Ragged, Rule::Rushing, Rule::BetweenLines];

#[test]
fn what_is_said_of_timing_is_so() {
    let mut scores: BTreeMap<Rule, Score> = RULES.into_iter().map(|rule| (rule, Score::default())).collect();
    for seed in 1..=30 {
        let plain = Playing { deviation: 2.0 + (seed % 8) as f64, ..Playing::of(seed) };
        let hat = if seed % 4 == 2 { 51 } else { 42 };
        let others = [
            (plain, None),
            (Playing { deviation: 13.0 + (seed % 6) as f64, ..plain }, Some(Rule::Loose)),
            (Playing { deviation: 2.0 + (seed % 5) as f64, ragged: Some((hat, 16.0)), ..plain }, Some(Rule::Ragged)),
            (Playing { rush: if seed % 2 == 0 { 26.0 } else { -26.0 }, ..plain }, Some(Rule::Rushing)),
            (Playing { between_lines: true, ..plain }, Some(Rule::BetweenLines)),
        ];
        for (how, due) in others {
            let read = Read::of(&how);
            let said = read.findings();
            for (rule, score) in &mut scores {
                score.take(said.iter().any(|one| one.rule == *rule), due == Some(*rule), &format!("{rule:?}"), &how);
            }
        }
    }
    for (rule, score) in &scores {
        // At 137 bpm and more, whoever is 34 ms late is nearer to the 32nd than to the 16th.
        score.holds(&format!("{rule:?}"), if *rule == Rule::Rushing { 0.9 } else { 0.95 });
    }
}

impl Read {
    /// What Drop strays drops at its defaults, with what each was, and how many hits nobody meant.
    fn dropped(&self) -> (Vec<PlayedStroke>, Vec<PlayedStroke>) {
        let part = self.part();
        let (chart, context) = (part.chart(true), Context::new(&self.song.tempo, &self.song.metre));
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Strays(Strays::default()))]);
        let performance = perform(&part.part, &chart, &recipe, &context);
        let written = part.part.hits().iter().zip(&performance.written);
        let silent: BTreeSet<HitId> =
            written.filter(|(_, played)| played.silenced.is_some()).map(|(hit, _)| hit.id).collect();
        let (dropped, kept): (Vec<_>, Vec<_>) = self.truth().into_iter().partition(|(id, _)| silent.contains(id));
        let strokes = |all: Vec<(HitId, PlayedStroke)>| all.into_iter().map(|(_, stroke)| stroke).collect();
        (strokes(dropped), strokes(kept))
    }
}

#[test]
fn what_nobody_meant_is_dropped_and_no_more() {
    let is_accident = |stroke: &&PlayedStroke| stroke.meaning == Meaning::Accident;
    let (mut clean, mut taken, mut found, mut missed, mut wrong) = (0, 0, 0, 0, 0);
    for seed in 1..=30 {
        let how = Playing::of(seed);
        let (dropped, kept) = Read::of(&how).dropped();
        (clean, taken) = (clean + dropped.len() + kept.len(), taken + dropped.len());
        dropped.iter().for_each(|stroke| println!("{seed}: dropped from a clean one: {stroke:?}"));
        let (dropped, kept) = Read::of(&Playing { accidents: true, ..how }).dropped();
        let right = dropped.iter().filter(is_accident).count();
        (found, wrong) = (found + right, wrong + dropped.len() - right);
        missed += kept.iter().filter(is_accident).count();
        kept.iter().filter(is_accident).for_each(|stroke| println!("{seed}: missed: {stroke:?}"));
        let meant = dropped.iter().filter(|stroke| !is_accident(stroke));
        meant.for_each(|stroke| println!("{seed}: dropped, though meant: {stroke:?}"));
    }
    println!("clean: {taken} of {clean} dropped; rough: {found} found, {missed} missed, {wrong} were meant");
    assert!(5000 * taken <= clean && found * 100 >= 95 * (found + missed) && found * 100 >= 99 * (found + wrong));
}
