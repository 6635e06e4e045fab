//! Own sounds in the mixdown: the right sample, as loud and where it should be, ended by what ends it.

use std::collections::HashMap;
use std::sync::Arc;
use vivida_core::{
    Channel, Hit, HitId, InstrumentId, Kit, Note, Part, PlayedHit, Ppq, Sample, TempoMap, Ticks, Velocity,
};
use vivida_sound::{ALTERNATES, KitSounds, LAYER_COUNT, Mixdown, Recordings, SAMPLE_RATE, Voice, manifest, samples};

/// Files in memory.
#[derive(Debug, Default)]
struct Folder {
    files: HashMap<String, Arc<Vec<Vec<f32>>>>,
}

impl Recordings for Folder {
    fn channels(&self, sound: &str) -> Option<Arc<Vec<Vec<f32>>>> {
        self.files.get(sound).cloned()
    }
}

impl Folder {
    fn with(mut self, name: &str, channels: Vec<Vec<f32>>) -> Folder {
        self.files.insert(name.to_owned(), Arc::new(channels));
        self
    }
}

fn part(hits: &[(u8, f64, u8)]) -> Vec<PlayedHit> {
    let hit = |(index, &(note, beat, velocity)): (usize, &(u8, f64, u8))| Hit {
        id: HitId::new(index as u32),
        tick: Ticks(480.0 * beat),
        length: Ticks(60.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 0,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new(hits.iter().enumerate().map(hit).collect());
    part.hits().iter().map(PlayedHit::as_written).collect()
}

fn with_samples(id: &str, note: u8, own: Vec<Sample>) -> Kit {
    let mut kit = Kit::general_midi();
    let instrument = kit.instruments.iter_mut().find(|one| one.id == InstrumentId::new(id)).unwrap();
    instrument.articulations.iter_mut().find(|way| way.note.get() == note).unwrap().samples = own;
    kit
}

fn mix(kit: &Kit, hits: &[(u8, f64, u8)], folder: Folder) -> Vec<[f32; 2]> {
    let sounds = KitSounds::of_drums(kit);
    let strikes = sounds.strikes(&part(hits), 0, &TempoMap::new(Ppq::new(480).unwrap(), []), Ticks(0.0));
    let mut wav = Vec::new();
    Mixdown::new(strikes).with_recordings(Arc::new(folder)).write(&mut wav, |_| true).unwrap();
    let value = |two: &[u8]| f32::from(i16::from_le_bytes([two[0], two[1]])) / 32767.0;
    wav[44..].chunks_exact(4).map(|frame| [value(&frame[..2]), value(&frame[2..])]).collect()
}

fn frame(kit_seconds: f64) -> usize {
    (kit_seconds * f64::from(SAMPLE_RATE)).round() as usize
}

/// The built-in snare, put into files, sounds as the built-in snare.
#[test]
fn a_kit_of_the_built_in_samples_sounds_as_the_built_in_kit() {
    let voice = samples(Voice::SnareCentre);
    let info = manifest().voices.into_iter().find(|info| info.voice == Voice::SnareCentre).unwrap();
    let (level, pan) = (info.level, info.pan);
    let (mut own, mut folder) = (Vec::new(), Folder::default());
    // The four layers of the kit play these of the six.
    let layers = [(1, 41, 0), (42, 76, 2), (77, 107, 3), (108, 127, LAYER_COUNT - 1)];
    for (from, to, layer) in layers {
        for alternate in 0..ALTERNATES {
            let name = format!("{layer} {alternate}");
            let data = voice.data[(layer * ALTERNATES + alternate) * voice.frames..][..voice.frames].to_vec();
            own.push(Sample {
                from: Velocity::new(from).unwrap(),
                to: Velocity::new(to).unwrap(),
                turn: alternate as u16 + 1,
                turns: ALTERNATES as u16,
                volume: 20.0 * level.log10(),
                pan: 100.0 * pan,
                ..Sample::of(&name, &name, voice.frames as u64)
            });
            folder = folder.with(&name, vec![data]);
        }
    }
    // Within one layer after the other, as the built-in kit counts all layers together.
    let hits: Vec<(u8, f64, u8)> = [100, 100, 100, 100, 30, 30, 30, 30, 120, 120, 120, 120, 60]
        .into_iter()
        .enumerate()
        .map(|(place, velocity)| (38, place as f64 / 2.0, velocity))
        .collect();
    let (with, without) =
        (mix(&with_samples("snare", 38, own), &hits, folder), mix(&Kit::general_midi(), &hits, Folder::default()));
    let most = with
        .iter()
        .zip(&without)
        .flat_map(|(a, b)| [a[0] - b[0], a[1] - b[1]])
        .fold(0.0f32, |most, one| most.max(one.abs()));
    assert!(with.len().abs_diff(without.len()) < 4 && most < 1e-4, "{} {} {most}", with.len(), without.len());
}

#[test]
fn two_sides_stay_two_sides() {
    let stereo = |left: f32, right: f32| vec![vec![left; 4410], vec![right; 4410]];
    let heard = |pan: f64| {
        let own = vec![Sample { pan, ..Sample::of("a", "a.wav", 4410) }];
        let hits = [(36, 1.0, 127)];
        let mixed = mix(&with_samples("kick", 36, own), &hits, Folder::default().with("a", stereo(0.4, 0.2)));
        mixed[frame(0.5) + 100]
    };
    let near =
        |[left, right]: [f32; 2], wanted: [f32; 2]| (left - wanted[0]).abs() < 1e-3 && (right - wanted[1]).abs() < 1e-3;
    assert!(near(heard(0.0), [0.4, 0.2]), "{:?}", heard(0.0));
    assert!(near(heard(-100.0), [0.6, 0.0]), "{:?}", heard(-100.0));
    assert!(near(heard(100.0), [0.0, 0.6]), "{:?}", heard(100.0));
}

#[test]
fn groups_end_one_another_but_not_what_is_struck_at_once() {
    let long = |name: &str| Sample { group: Some(1), off_by: Some(1), ..Sample::of(name, name, 88_200) };
    let folder = || {
        let tone = |value: f32| vec![vec![value; 88_200]];
        Folder::default().with("near", tone(0.2)).with("room", tone(0.1)).with("closed", tone(0.0))
    };
    let mut kit = with_samples("open-hat", 46, vec![long("near"), long("room")]);
    let closed = kit.instruments.iter_mut().find(|one| one.id == InstrumentId::new("closed-hat")).unwrap();
    closed.articulations.iter_mut().find(|way| way.note.get() == 42).unwrap().samples = vec![long("closed")];
    let mixed = mix(&kit, &[(46, 0.0, 127), (42, 1.0, 127)], folder());
    let side = 0.3 * std::f32::consts::FRAC_1_SQRT_2;
    assert!((mixed[frame(0.4)][0] - side).abs() < 1e-3, "both sound: {:?}", mixed[frame(0.4)]);
    assert!(mixed[frame(0.6)][0].abs() < 1e-3, "the closed hat ends both: {:?}", mixed[frame(0.6)]);
}

#[test]
fn where_no_sample_plays_the_built_in_kit_does() {
    let soft = Sample { to: Velocity::new(60).unwrap(), ..Sample::of("soft", "soft.wav", 4410) };
    let kit = with_samples("snare", 38, vec![soft]);
    let hits = [(38, 0.0, 100)];
    let folder = Folder::default().with("soft", vec![vec![1.0; 4410]]);
    assert_eq!(mix(&kit, &hits, folder), mix(&Kit::general_midi(), &hits, Folder::default()));
}
