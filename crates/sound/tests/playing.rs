//! Playing the kit: every note sounds, harder is louder, and time is kept.

use std::collections::BTreeSet;
use vivida_core::{Channel, HitId, Kit, Movement, Note, PlayedHit, Ppq, TempoMap, Ticks, Velocity};
use vivida_sound::{KitSounds, Mixdown, SAMPLE_RATE, Strike, Voice, drum_sound, manifest, tone_sound};

fn velocity(value: u8) -> Velocity {
    Velocity::new(value).unwrap()
}

fn note(value: u8) -> Note {
    Note::new(value).unwrap()
}

fn played(tick: f64, length: f64, key: u8, hard: u8) -> PlayedHit {
    PlayedHit {
        silenced: None,
        movement: Movement::NONE,
        hand: None,
        id: HitId::new(0),
        tick: Ticks(tick),
        length: Ticks(length),
        velocity: velocity(hard),
        release: 64,
        note: note(key),
        channel: Channel::PERCUSSION,
    }
}

fn mixdown(strikes: Vec<Strike>) -> Vec<u8> {
    let mut bytes = Vec::new();
    Mixdown::new(strikes).write(&mut bytes, |_| true).unwrap();
    bytes
}

/// The left and right samples of a mixdown, −1 to 1.
fn heard(wav: &[u8]) -> Vec<[f64; 2]> {
    let mut reader = hound::WavReader::new(wav).unwrap();
    let samples: Vec<f64> = reader.samples::<i16>().map(|value| f64::from(value.unwrap()) / 32768.0).collect();
    samples.chunks(2).map(|pair| [pair[0], pair[1]]).collect()
}

fn loudness(frames: &[[f64; 2]]) -> f64 {
    frames.iter().flatten().map(|value| value * value).sum::<f64>().sqrt()
}

fn peak(frames: &[[f64; 2]]) -> f64 {
    frames.iter().flatten().fold(0.0, |peak: f64, value| peak.max(value.abs()))
}

fn drums() -> KitSounds {
    KitSounds::of_drums(&Kit::general_midi())
}

fn one(key: u8, hard: u8) -> Vec<[f64; 2]> {
    let sound = drum_sound(note(key));
    heard(&mixdown(vec![Strike::plain(0.0, 0.2, velocity(hard), sound)]))
}

#[test]
fn every_note_of_the_percussion_map_sounds() {
    for key in 27..=87 {
        assert!(peak(&one(key, 100)) > 0.02, "note {key} is silent");
    }
    let kits = Kit::own().into_iter().map(|kit| KitSounds::of_drums(&kit));
    let voices: BTreeSet<Voice> = kits.flat_map(|sounds| sounds.notes).map(|sound| sound.voice).collect();
    let unused: Vec<Voice> = Voice::ALL.into_iter().filter(|voice| !voices.contains(voice)).collect();
    assert_eq!(unused, [Voice::ToneLow, Voice::ToneMid, Voice::ToneHigh, Voice::Click]);
}

#[test]
fn harder_is_louder_all_the_way() {
    for key in [36, 38, 42, 46, 49, 51, 63, 82] {
        let levels: Vec<f64> = (1..=8).map(|step| peak(&one(key, step * 16 - 1))).collect();
        assert!(levels.windows(2).all(|pair| pair[0] < pair[1]), "note {key}: {levels:.4?}");
        // From the softest ghost to the hardest stroke the curve spans (127/15)^1.7: 31.5 dB.
        let span = 20.0 * (levels[7] / levels[0]).log10();
        assert!((29.0..34.0).contains(&span), "note {key} spans {span:.1} dB");
    }
}

#[test]
fn layers_join_without_a_jump() {
    for key in [36, 38, 42, 63] {
        for bound in [42u8, 77, 108] {
            let (below, above) = (peak(&one(key, bound - 1)), peak(&one(key, bound)));
            let jump = 20.0 * (above / below).log10();
            assert!((0.0..1.5).contains(&jump), "note {key} jumps by {jump:.2} dB at {bound}");
        }
    }
}

#[test]
fn strikes_keep_time_through_a_change_of_tempo() {
    let tempo = TempoMap::new(Ppq::new(960).unwrap(), [(Ticks(960.0), 1_000_000)]);
    let hits = [played(0.0, 960.0, 36, 90), played(960.0, 480.0, 36, 90), played(1920.0, 960.0, 36, 90)];
    let found = drums().strikes(&hits, 0, &tempo, Ticks(0.0));
    let times: Vec<(f64, f64)> = found.iter().map(|strike| (strike.seconds, strike.length)).collect();
    assert_eq!(times, [(0.0, 0.5), (0.5, 0.5), (1.5, 1.0)]);
    let early = drums().strikes(&hits[..1], 0, &tempo, Ticks(-960.0));
    assert_eq!(early[0].seconds, 0.5, "counted from a lead-in");
}

#[test]
fn a_hit_is_heard_when_it_is_due() {
    let tempo = TempoMap::new(Ppq::new(960).unwrap(), []);
    let frames = heard(&mixdown(drums().strikes(&[played(1920.0, 100.0, 37, 120)], 0, &tempo, Ticks(0.0))));
    let first = frames.iter().position(|frame| frame[0].abs() > 0.01).unwrap();
    let late = first as f64 / f64::from(SAMPLE_RATE) - 1.0;
    assert!((0.0..0.002).contains(&late), "{late:.4} s late");
}

#[test]
fn tones_last_as_long_as_their_notes() {
    let tempo = TempoMap::new(Ppq::new(960).unwrap(), []);
    let frames = |length: f64| {
        heard(&mixdown(KitSounds::of_tones().strikes(&[played(0.0, length, 40, 100)], 0, &tempo, Ticks(0.0))))
    };
    let at = |seconds: f64| (seconds * f64::from(SAMPLE_RATE)) as usize;
    let (short, long) = (frames(480.0), frames(1920.0));
    assert!(loudness(&short[at(0.1)..at(0.2)]) > 1.0);
    assert!(loudness(&short[at(0.3)..at(0.5)]) < 1e-3, "a quarter of a second and its release are over");
    assert!(loudness(&long[at(0.3)..at(0.5)]) > 1.0);
}

#[test]
fn repeats_differ_and_the_kit_is_spread_out() {
    let sound = drum_sound(note(42));
    let strike = |seconds: f64| Strike::plain(seconds, 0.1, velocity(90), sound);
    let frames = heard(&mixdown(vec![strike(0.0), strike(0.5)]));
    let half = SAMPLE_RATE as usize / 2;
    assert_ne!(frames[..4000], frames[half..half + 4000], "no two neighbours are the same sample");
    let sides =
        |frames: &[[f64; 2]]| frames.iter().fold([0.0, 0.0], |sum, f| [sum[0] + f[0] * f[0], sum[1] + f[1] * f[1]]);
    let [left, right] = sides(&frames[..4000]);
    assert!(right > left, "the hat is to the right");
    let [left, right] = sides(&one(36, 100));
    assert!((left / right - 1.0).abs() < 0.01, "the kick is in the middle");
}

#[test]
fn the_manifest_covers_all_notes_and_velocities() {
    let manifest = manifest();
    assert_eq!((manifest.gains.len(), manifest.voices.len()), (128, Voice::ALL.len()));
    for (sounds, usual) in [(drums(), drum_sound as fn(Note) -> _), (KitSounds::of_tones(), tone_sound)] {
        assert_eq!((sounds.notes.len(), sounds.responses.len()), (128, 128));
        for key in 0..128 {
            assert_eq!(sounds.notes[usize::from(key)].voice, usual(note(key)).voice);
            assert!(sounds.notes[usize::from(key)].rate > 0.0);
            let response = &sounds.kinds[sounds.responses[usize::from(key)]];
            assert!(response.layers.windows(2).all(|pair| pair[0] <= pair[1]) && response.layers[127] == 5);
        }
    }
    assert_eq!((manifest.gains[0], manifest.gains[127]), (0.0, 1.0));
}

#[test]
fn a_kit_trims_what_is_sent_and_hands_have_samples_of_their_own() {
    let mut kit = Kit::own().swap_remove(1);
    let snare = kit.instruments.iter_mut().find(|one| one.name == "Snare").unwrap();
    (snare.scale.0, snare.offset) = (50.0, 20.0);
    let (right, left) = (snare.articulations[0].note.get(), snare.articulations[1].note.get());
    let sounds = KitSounds::of_drums(&kit);
    let tempo = TempoMap::new(Ppq::new(960).unwrap(), []);
    let hits = [played(0.0, 100.0, right, 100), played(960.0, 100.0, left, 100), played(1920.0, 100.0, right, 21)];
    let found = sounds.strikes(&hits, 0, &tempo, Ticks(0.0));
    assert_eq!(found.iter().map(|strike| strike.velocity.get()).collect::<Vec<_>>(), [70, 70, 31]);
    // The layer is that of the velocity as it is played.
    assert_eq!(found.iter().map(|strike| strike.layer).collect::<Vec<_>>(), [4, 4, 0]);
    assert_eq!(found[0].sound.voice, found[1].sound.voice);
    assert_ne!(found[0].sound.turns, found[1].sound.turns);
}
