//! A newer version of each demo song: a bar inserted, a fill changed, another tempo, another resolution. What was not
//! changed keeps its id, and with it its dice.

use std::collections::HashMap;
use vivida_core::{
    BarsEdit, Hit, HitId, MadeHit, Note, Outline, Part, PassId, Performance, PlayedHit, TempoFrom, Ticks, Velocity,
    Versions, refit,
};
use vivida_demo::songs;
use vivida_smf::{Export, NewTrack, SongFile, begin, read, write};

/// A file of these hits under this outline.
fn file_of(outline: &Outline, name: &str, hits: &[Hit]) -> Vec<u8> {
    let channel = hits[0].channel;
    let bytes = begin(outline, &[NewTrack { name: name.to_owned(), channel }]);
    let song = read(&bytes).unwrap();
    let made =
        |hit: &Hit| MadeHit { played: PlayedHit::as_written(hit), pass: PassId(0), parent: None, anchor: hit.tick };
    let performance = Performance { made: hits.iter().map(made).collect(), ..Performance::default() };
    write(&bytes, &song, &[(0, performance)], Export::default())
}

/// The newer version, and for each place and note in it the ids that stood there before.
struct Newer {
    song: SongFile,
    truth: HashMap<(i64, u8), Vec<HitId>>,
    unchanged: usize,
}

fn newer(song: &SongFile, part: &Part, name: &str) -> Newer {
    const INSERTED: u32 = 10;
    const FILL: u32 = 24;
    let bars = song.bars();
    let outline = Outline::of(bars, &song.tempo, &song.metre);
    let plan = BarsEdit::Insert { before: INSERTED, count: 1 }.plan(bars).unwrap();
    let moves = plan.moves(bars);
    let mut outline = plan.outline(&outline);
    // As fast as before, and a little faster; changes within bars go.
    outline.tempos = vec![TempoFrom { bar: 1, bpm: outline.tempos[0].bpm + 7.0 }];
    let (_, metre) = outline.maps();
    let mut hits: Vec<Hit> = Vec::new();
    let mut truth: HashMap<(i64, u8), Vec<HitId>> = HashMap::new();
    let mut unchanged = 0;
    for hit in part.hits() {
        if song.metre.bar_at(hit.tick).number == FILL {
            continue;
        }
        let tick = moves.tick(hit.tick, &song.metre, &metre).unwrap();
        hits.push(Hit { tick, ..*hit });
        truth.entry((tick.0 as i64, hit.note.get())).or_default().push(hit.id);
        unchanged += 1;
    }
    // The fill is another one, and the bar that came holds a figure that is nowhere else.
    let quarter = metre.ppq().as_f64();
    for (bar, notes, step) in [(FILL + 1, [38, 50, 47, 43], 0.25), (INSERTED, [60, 61, 62, 63], 1.0 / 3.0)] {
        let bar = metre.bar(bar);
        let mut at = 0.0;
        for number in 0.. {
            if at * quarter >= bar.length.0 {
                break;
            }
            let tick = bar.start + Ticks(at * quarter).rounded();
            let note = Note::new(notes[number % 4]).unwrap();
            let velocity = Velocity::new(90).unwrap();
            hits.push(Hit { id: HitId::new(0), tick, length: Ticks(60.0), velocity, note, ..part.hits()[0] });
            at += step;
        }
    }
    let bytes = file_of(&outline, name, &hits);
    Newer { song: read(&bytes).unwrap(), truth, unchanged }
}

#[test]
fn what_was_not_changed_keeps_its_dice() {
    for demo in songs() {
        let song = read(&demo.bytes).unwrap();
        for part in song.parts.iter().filter(|part| part.drums) {
            let newer = newer(&song, &part.part, &part.name);
            let versions = Versions { old: &part.part, new: &newer.song.parts[0].part };
            let found = refit(&[versions], &song.metre, &newer.song.metre);
            let ids = found.parts[0].ids(versions, 1_000_000);
            let right = versions.new.hits().iter().zip(&ids).filter(|(hit, id)| {
                let key = (hit.tick.0 as i64, hit.note.get());
                newer.truth.get(&key).is_some_and(|known| known.contains(id))
            });
            let (right, all) = (right.count(), newer.unchanged);
            println!("{}, {}: {right} of {all} unchanged hits keep their ids", demo.name, part.name);
            assert!(right as f64 >= 0.99 * all as f64, "{}, {}: {right} of {all}", demo.name, part.name);
            let mut once = ids.clone();
            once.sort_unstable();
            once.dedup();
            assert_eq!(once.len(), ids.len(), "no id is there twice");
        }
    }
}
