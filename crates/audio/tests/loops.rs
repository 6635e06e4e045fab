//! What is found in forty generated loops, held against what was played.

use vivida_audio::{Analysis, Clip, Onset, Sensitivity, part_of, tempos};
use vivida_core::{
    Channel, Chart, Extraction, Family, Grid, GrooveProfile, Hit, HitId, Kit, Note, Outline, Part, PlayedHit, Slicing,
    Ticks, Velocity,
};
use vivida_demo::{LoopPlan, MadeLoop};

fn clip_of(made: &MadeLoop) -> Clip {
    Clip::new([0, 1].map(|side| made.frames.iter().map(|frame| frame[side]).collect()).to_vec())
}

/// Strokes within 15 ms of one another are one onset: where it begins, and which drums.
fn truth(made: &MadeLoop) -> Vec<(f64, Vec<u8>)> {
    let mut found: Vec<(f64, Vec<u8>)> = Vec::new();
    for stroke in &made.strokes {
        match found.last_mut() {
            Some((seconds, notes)) if stroke.seconds - *seconds < 0.015 => notes.push(stroke.note),
            _ => found.push((stroke.seconds, vec![stroke.note])),
        }
    }
    found
}

#[derive(Default)]
struct Score {
    right: usize,
    missed: usize,
    false_ones: usize,
    errors: Vec<f64>,
    families: (usize, usize),
}

fn family(note: u8) -> Family {
    match note {
        36 => Family::Kick,
        38 => Family::Snare,
        _ => Family::Hat,
    }
}

fn hold(found: &[Onset], made: &MadeLoop, score: &mut Score) {
    let truth = truth(made);
    // What is struck just before the end has its attack at the beginning.
    let length = made.frames.len() as f64 / 44_100.0;
    let apart = |a: f64, b: f64| (a - b + length / 2.0).rem_euclid(length) - length / 2.0;
    let mut free: Vec<&Onset> = found.iter().collect();
    for (seconds, notes) in &truth {
        let near = free
            .iter()
            .enumerate()
            .map(|(place, onset)| (apart(onset.seconds(), *seconds).abs(), place))
            .min_by(|a, b| a.0.total_cmp(&b.0));
        match near {
            Some((off, place)) if off <= 0.010 => {
                let onset = free.remove(place);
                score.right += 1;
                score.errors.push(1000.0 * apart(onset.seconds(), *seconds));
                if notes.len() == 1 {
                    score.families.1 += 1;
                    score.families.0 += usize::from(onset.family == family(notes[0]));
                }
            }
            _ => score.missed += 1,
        }
    }
    score.false_ones += free.len();
}

impl Score {
    fn measure(&self) -> f64 {
        2.0 * self.right as f64 / (2 * self.right + self.missed + self.false_ones) as f64
    }

    fn median(&self) -> f64 {
        let mut errors: Vec<f64> = self.errors.iter().map(|error| error.abs()).collect();
        errors.sort_by(f64::total_cmp);
        errors[errors.len() / 2]
    }
}

#[test]
fn onsets_and_families_of_forty_loops_are_found() {
    let mut all = Score::default();
    for seed in 0..40 {
        let plan = LoopPlan::numbered(seed);
        let made = plan.make();
        let found = Analysis::of(&clip_of(&made)).onsets(Sensitivity::default());
        let mut one = Score::default();
        hold(&found, &made, &mut one);
        println!(
            "{seed:2} figure {} {:3} bpm, noise {:3.0} dB, room {:.2}, tuning {:.2}, flams {}: F {:.3}, {} missed, {} false, median {:.2} ms, families {}/{}",
            plan.figure,
            plan.bpm,
            plan.noise,
            plan.room,
            plan.tuning,
            plan.flams,
            one.measure(),
            one.missed,
            one.false_ones,
            one.median(),
            one.families.0,
            one.families.1,
        );
        all.right += one.right;
        all.missed += one.missed;
        all.false_ones += one.false_ones;
        all.errors.extend(one.errors);
        all.families.0 += one.families.0;
        all.families.1 += one.families.1;
    }
    let families = all.families.0 as f64 / all.families.1 as f64;
    println!("all: F {:.3}, median {:.2} ms, families {:.3}", all.measure(), all.median(), families);
    assert!(all.measure() >= 0.95, "{}", all.measure());
    assert!(all.median() <= 1.5, "{}", all.median());
    assert!(families >= 0.9, "{families}");
}

#[test]
fn bars_and_tempo_are_proposed() {
    let mut first = 0;
    for seed in 0..40 {
        let plan = LoopPlan::numbered(seed);
        let made = plan.make();
        let onsets = Analysis::of(&clip_of(&made)).onsets(Sensitivity::default());
        let proposed = tempos(made.frames.len(), &onsets);
        let is = |one: &vivida_audio::Proposal| one.bars == plan.bars && one.beats == 4;
        first += usize::from(is(&proposed[0]));
        assert!(proposed.iter().any(is), "loop {seed}, {} bars at {}: {proposed:?}", plan.bars, plan.bpm);
    }
    println!("{first} of 40 are right at once");
    assert!(first >= 30, "{first}");
}

/// The groove of a loop, held against that of the strokes that made it, slot by slot.
#[test]
fn the_groove_of_a_loop_is_that_of_its_strokes() {
    let (mut far, mut alone): (Vec<f64>, Vec<f64>) = (Vec::new(), Vec::new());
    let mut slots = (0, 0);
    for seed in 0..40 {
        let plan = LoopPlan::numbered(seed);
        let made = plan.make();
        let clip = clip_of(&made);
        let outline = Outline::plain(plan.bars, 60.0 * 4.0 * f64::from(plan.bars) / clip.seconds(), "4/4");
        let (tempo, metre) = outline.maps();
        let ticks = metre.bar(plan.bars + 1).start;
        let slicing = Slicing { from: 0, to: clip.frames() as u64, start: Ticks(0.0), ticks, times: 1 };
        let found = part_of(&Analysis::of(&clip).onsets(Sensitivity::default()), &slicing, ticks, 0);
        // Of what is struck together the earliest, as it is one onset; a grace note is its own.
        let strokes = truth(&made);
        let hit = |(number, (seconds, notes)): (usize, &(f64, Vec<u8>))| Hit {
            id: HitId::new(number as u32),
            tick: Ticks((tempo.ticks(*seconds).0).max(0.0)),
            length: Ticks(60.0),
            velocity: Velocity::new(100).unwrap(),
            release: 64,
            note: Note::from_data(notes[0]),
            channel: Channel::PERCUSSION,
        };
        let meant = Part::new(strokes.iter().enumerate().map(hit).collect());
        let groove = |part: &Part| {
            let chart = Chart::new(part, Kit::general_midi());
            let hits: Vec<PlayedHit> = part.hits().iter().map(PlayedHit::as_written).collect();
            let take = Extraction { grid: Some(Grid::SIXTEENTHS), length: plan.bars, ..Extraction::default() };
            GrooveProfile::taken("loop", &chart, &tempo, &metre, &hits, &take).unwrap().groove
        };
        let (a, b) = (groove(&found), groove(&meant));
        let cell = 15_000.0 / plan.bpm;
        for (slot, own) in &b.together {
            slots.1 += 1;
            // Where flams lie two strokes are in one slot.
            let Some(other) = a.together.get(slot).filter(|other| other.count == own.count) else { continue };
            slots.0 += 1;
            let apart = cell * (other.offset - own.offset).abs();
            far.push(apart);
            let together = made.strokes.iter().filter(|stroke| stroke.slot + 1 == *slot);
            if together.count() == 1 {
                alone.push(apart);
            }
        }
    }
    let within = |far: &mut Vec<f64>| {
        far.sort_by(f64::total_cmp);
        far.iter().filter(|far| **far <= 2.0).count() as f64 / far.len() as f64
    };
    let (of_all, of_alone) = (within(&mut far), within(&mut alone));
    let (median, most) = (far[far.len() / 2], far[far.len() * 9 / 10]);
    println!(
        "{} of {} slots; apart by {median:.2} ms in the median, {most:.2} at the 90th percentile",
        slots.0, slots.1
    );
    println!("within 2 ms: {of_all:.3}, where one drum is struck alone {of_alone:.3}");
    // Drums that are struck together stray by up to 8 ms from one another, and are one onset; a shaker in noise is heard
    // a few ms after it begins to swell.
    assert!(median < 0.5 && of_all >= 0.82 && of_alone >= 0.79, "{of_all} {of_alone}");
    assert!(10 * slots.0 >= 9 * slots.1);
}
