//! Own sounds: which files of a folder are which stroke of a kit, in which layer, in whose turn.

use crate::clip::Clip;
use crate::sfz::Sfz;
use std::collections::{BTreeMap, HashMap};
use vivida_core::{Articulation, Family, Instrument, Kit, Note, Percent, Sample, Velocity, note_name};

/// A file of a folder.
#[derive(Clone, Debug, PartialEq)]
pub struct SampleFile {
    /// Where it lies in there, with `/` between folders.
    pub path: String,
    /// The SHA-256 of its bytes.
    pub sound: String,
    /// At 44 100 a second.
    pub frames: u64,
    /// How loud it is, in dB of full scale.
    pub loudness: f64,
}

impl SampleFile {
    fn name(&self) -> &str {
        self.path.rsplit('/').next().unwrap_or(&self.path)
    }
}

/// How loud a stroke is: the root mean square of its loudest 50 ms, in dB of full scale.
pub fn loudness(clip: &Clip) -> f64 {
    const WINDOW: usize = crate::RATE as usize / 20;
    let loudest = |channel: &Vec<f32>| {
        let square = |values: &[f32]| values.iter().map(|value| f64::from(value * value)).sum::<f64>();
        channel.chunks(WINDOW / 2).map(square).collect::<Vec<_>>()
    };
    let channels: Vec<Vec<f64>> = clip.channels().iter().map(loudest).collect();
    let both = |place: usize| channels.iter().map(|one| one[place]).fold(0.0, f64::max);
    let halves: Vec<f64> = (0..channels.first().map_or(0, Vec::len)).map(both).collect();
    let pairs = (0..halves.len()).map(|place| halves[place] + halves.get(place + 1).unwrap_or(&0.0));
    10.0 * libm::log10(pairs.fold(0.0, f64::max) / WINDOW as f64 + 1e-12)
}

/// A kit with own sounds, and what is to be said of them.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Fitted {
    /// With its samples.
    pub kit: Kit,
    /// How many samples came to how many strokes.
    pub samples: usize,
    /// Strokes that have some of them.
    pub strokes: usize,
    /// Sentences: what found no place.
    pub said: Vec<String>,
}

/// Gives the strokes of a kit the samples of an SFZ file: by the note that each is sent as. Strokes that the file says
/// nothing of stay as they are.
pub fn by_sfz(mut kit: Kit, sfz: &Sfz, files: &[SampleFile]) -> Fitted {
    let exact: HashMap<&str, &SampleFile> = files.iter().map(|file| (file.path.as_str(), file)).collect();
    let alike: HashMap<String, &SampleFile> = files.iter().map(|file| (file.path.to_lowercase(), file)).collect();
    let mut missing: Vec<&str> = Vec::new();
    let mut by_key: BTreeMap<u8, Vec<Sample>> = BTreeMap::new();
    let velocity = |value: u8| Velocity::new(value).unwrap_or(Velocity::MIN);
    for region in &sfz.regions {
        let file = exact.get(region.path.as_str()).or_else(|| alike.get(&region.path.to_lowercase()));
        let Some(file) = file else {
            missing.push(&region.path);
            continue;
        };
        let sample = Sample {
            from: velocity(*region.velocities.start()),
            to: velocity(*region.velocities.end()),
            turn: region.turn.0,
            turns: region.turn.1,
            volume: region.volume,
            pan: region.pan,
            track: Percent(region.track),
            group: region.group,
            off_by: region.off_by,
            ..Sample::of(&file.sound, file.name(), file.frames)
        };
        for key in region.keys.clone() {
            by_key.entry(key).or_default().push(sample.clone());
        }
    }
    let mut fitted = Fitted { said: sfz.said.clone(), ..Fitted::default() };
    for instrument in &mut kit.instruments {
        let had = fitted.strokes;
        for way in &mut instrument.articulations {
            let key = way.note_out.unwrap_or(way.note).get();
            let Some(samples) = by_key.get(&key) else { continue };
            way.samples.clone_from(samples);
            fitted.strokes += 1;
            fitted.samples += samples.len();
        }
        if fitted.strokes > had {
            instrument.take_layers();
        }
    }
    let sent: Vec<u8> = strokes(&kit).map(|(_, way)| way.note_out.unwrap_or(way.note).get()).collect();
    let idle: Vec<String> = by_key
        .keys()
        .filter(|key| !sent.contains(key))
        .map(|&key| format!("{key} ({})", note_name(Note::from_data(key))))
        .collect();
    // A sample over all keys is meant for those that are there.
    if !idle.is_empty() && idle.len() < 100 {
        let keys = if idle.len() == 1 { "key" } else { "keys" };
        fitted.said.push(format!("No stroke of the kit goes out as {keys} {}.", few(&idle)));
    }
    if !missing.is_empty() {
        missing.sort_unstable();
        missing.dedup();
        let names: Vec<String> = missing.iter().map(|path| format!("“{path}”")).collect();
        fitted.said.push(format!("Missing from the folder, or not a sound file: {}.", few(&names)));
    }
    Fitted { kit, ..fitted }
}

/// Gives strokes the files that are called as they are. Strokes that no file is called by stay as they are.
pub fn by_names(mut kit: Kit, files: &[SampleFile]) -> Fitted {
    let mut fitted = Fitted::default();
    let mut found: BTreeMap<(usize, usize), Vec<&SampleFile>> = BTreeMap::new();
    let mut nameless: Vec<String> = Vec::new();
    for file in files {
        match stroke_called(&kit, &file.path) {
            Some(at) => found.entry(at).or_default().push(file),
            None => nameless.push(format!("“{}”", file.name())),
        }
    }
    for (&(place, stroke), files) in &found {
        let instrument = &mut kit.instruments[place];
        let samples = layered(instrument, files);
        fitted.samples += samples.len();
        fitted.strokes += 1;
        instrument.articulations[stroke].samples = samples;
        instrument.take_layers();
    }
    if !nameless.is_empty() {
        let them = if nameless.len() == 1 { "it" } else { "them" };
        let names = few(&nameless);
        fitted.said.push(format!("No stroke of the kit matches {names}; choose a stroke and add {them} there."));
    }
    Fitted { kit, ..fitted }
}

/// Gives one stroke these files, whatever they are called. Nothing changes where there is no such stroke.
pub fn for_stroke(mut kit: Kit, (place, stroke): (usize, usize), files: &[SampleFile]) -> Fitted {
    let files: Vec<&SampleFile> = files.iter().collect();
    let Some(instrument) = kit.instruments.get_mut(place).filter(|one| stroke < one.articulations.len()) else {
        return Fitted { kit, ..Fitted::default() };
    };
    let mut samples = layered(instrument, &files);
    let count = samples.len();
    let before = std::mem::take(&mut instrument.articulations[stroke].samples);
    // What was set of one that was there stays.
    for sample in &mut samples {
        let Some(old) = before.iter().find(|old| old.sound == sample.sound) else { continue };
        (sample.volume, sample.pan, sample.group, sample.off_by) = (old.volume, old.pan, old.group, old.off_by);
    }
    instrument.articulations[stroke].samples = samples;
    instrument.take_layers();
    Fitted { kit, samples: count, strokes: 1, said: Vec::new() }
}

fn strokes(kit: &Kit) -> impl Iterator<Item = (&Instrument, &Articulation)> {
    kit.instruments.iter().flat_map(|one| one.articulations.iter().map(move |way| (one, way)))
}

fn few(names: &[String]) -> String {
    const MOST: usize = 6;
    let shown = names[..names.len().min(MOST)].join(", ");
    if names.len() > MOST { format!("{shown} and {} more", names.len() - MOST) } else { shown }
}

/// Layers of an instrument are where the samples of its usual stroke begin.
trait TakeLayers {
    fn take_layers(&mut self);
}

impl TakeLayers for Instrument {
    fn take_layers(&mut self) {
        // Those of its usual stroke, which comes first.
        let usual = self.articulations.first().into_iter().flat_map(|way| &way.samples);
        let mut from: Vec<Velocity> = usual.map(|sample| sample.from).collect();
        // Its velocities are scaled before the samples see them: only what is sent as it is played can be told.
        let as_played = self.offset == 0.0 && self.scale == Percent(100.0);
        from.push(Velocity::MIN);
        from.sort_unstable();
        from.dedup();
        let now: Vec<Velocity> = self.layers.iter().map(|layer| layer.from).collect();
        if !as_played || from.len() < 2 || from.len() > 32 || now == from {
            return;
        }
        let layer = |(place, &from): (usize, &Velocity)| vivida_core::VelocityLayer {
            name: format!("layer {}", place + 1),
            from,
        };
        self.layers = from.iter().enumerate().map(layer).collect();
    }
}

/// What the name of a file says besides the stroke.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct Told {
    layer: Option<u32>,
    alternate: Option<u32>,
    /// A number that says nothing of itself.
    number: Option<u32>,
}

/// Words and numbers of a path: `Snare_Center-v3RR02` is snare, center, v, 3, rr, 2.
fn words(path: &str) -> Vec<String> {
    let stem = match path.rsplit_once('.') {
        Some((stem, ending)) if !ending.contains('/') => stem,
        _ => path,
    };
    let mut found: Vec<String> = Vec::new();
    let mut before = ' ';
    for one in stem.chars() {
        let kind = |one: char| (one.is_ascii_digit(), one.is_alphabetic());
        let goes_on = kind(one) == kind(before) && !(before.is_lowercase() && one.is_uppercase());
        if one.is_alphanumeric() {
            match found.last_mut().filter(|_| goes_on && before.is_alphanumeric()) {
                Some(word) => word.extend(one.to_lowercase()),
                None => found.push(one.to_lowercase().collect()),
            }
        }
        before = one;
    }
    found
}

fn told(path: &str) -> Told {
    let words = words(path.rsplit('/').next().unwrap_or(path));
    let mut told = Told::default();
    let dynamics = ["ppp", "pp", "p", "mp", "mf", "f", "ff", "fff"];
    for (place, word) in words.iter().enumerate() {
        let before = place.checked_sub(1).map(|before| words[before].as_str());
        if let Ok(number) = word.parse::<u32>() {
            match before {
                Some("v" | "vel" | "velocity" | "l" | "layer" | "dyn" | "d") => told.layer = Some(number),
                Some("rr" | "r" | "alt" | "take" | "robin" | "hit" | "x") => told.alternate = Some(number),
                _ => told.number = Some(number),
            }
        } else if let Some(loud) = dynamics.iter().position(|one| one == word) {
            told.layer = Some(loud as u32);
        } else if let Some(loud) = ["soft", "medium", "hard"].iter().position(|one| one == word) {
            told.layer = Some(loud as u32);
        }
    }
    told
}

/// Files of one stroke as its samples: by what their names say of layers and alternates, else by how loud they are.
fn layered(instrument: &Instrument, files: &[&SampleFile]) -> Vec<Sample> {
    /// What differs by less is the same stroke once more, in dB.
    const APART: f64 = 6.0;
    const MOST_LAYERS: usize = 32;
    let told: Vec<Told> = files.iter().map(|file| told(&file.path)).collect();
    let mut layers: Vec<Vec<&SampleFile>> = if told.iter().any(|one| one.layer.is_some()) {
        let mut by_number: BTreeMap<Option<u32>, Vec<&SampleFile>> = BTreeMap::new();
        for (file, told) in files.iter().zip(&told) {
            by_number.entry(told.layer).or_default().push(file);
        }
        by_number.into_values().collect()
    } else {
        let loud = files.iter().map(|file| file.loudness);
        let range = loud.clone().fold(f64::NEG_INFINITY, f64::max) - loud.fold(f64::INFINITY, f64::min);
        let alternates = told.iter().any(|one| one.alternate.is_some());
        if range < APART || alternates || files.len() > MOST_LAYERS {
            vec![files.to_vec()]
        } else {
            files.iter().map(|file| vec![*file]).collect()
        }
    };
    let mean = |layer: &Vec<&SampleFile>| layer.iter().map(|file| file.loudness).sum::<f64>() / layer.len() as f64;
    layers.sort_by(|a, b| mean(a).total_cmp(&mean(b)));
    layers.truncate(MOST_LAYERS);
    let count = layers.len();
    // Where the kit has as many layers, they are these.
    let known: Vec<u8> = instrument.layers.iter().map(|layer| layer.from.get()).collect();
    let evenly = |place: usize| 1 + (place * 127 / count) as u8;
    let begins = |place: usize| if known.len() == count { known[place] } else { evenly(place) };
    let mut samples = Vec::new();
    for (place, mut layer) in layers.into_iter().enumerate() {
        layer.sort_by_key(|file| {
            let told = self::told(&file.path);
            (told.alternate.or(told.number), file.path.clone())
        });
        layer.truncate(usize::from(Sample::MOST_TURNS));
        let to = if place + 1 == count { 127 } else { begins(place + 1) - 1 };
        let velocity = |value: u8| Velocity::new(value).unwrap_or(Velocity::MIN);
        let turns = layer.len() as u16;
        samples.extend(layer.into_iter().enumerate().map(|(turn, file)| Sample {
            from: velocity(begins(place)),
            to: velocity(to),
            full: velocity(to),
            turn: turn as u16 + 1,
            turns,
            ..Sample::of(&file.sound, file.name(), file.frames)
        }));
    }
    samples
}

/// Words that people call families by, in names of files.
fn names_of(family: Family) -> &'static [&'static str] {
    match family {
        Family::Kick => &["kick", "bd", "bass", "bassdrum", "kik", "kck"],
        Family::Snare => &["snare", "sd", "snr", "sn"],
        Family::Tom => &["tom", "toms", "floor", "rack"],
        Family::Hat => &["hat", "hats", "hh", "hihat", "hi"],
        Family::Ride => &["ride"],
        Family::Crash => &["crash", "china", "splash"],
        Family::HandPercussion | Family::Tonal | Family::Other => &[],
    }
}

/// Words that mean the same in names of files and of strokes.
fn same_word(word: &str) -> &str {
    match word {
        "center" => "centre",
        "cl" | "cls" | "clsd" | "ch" => "closed",
        "op" | "oh" => "open",
        "ped" | "foot" | "chick" => "pedal",
        "rs" | "rimshot" => "rim",
        "ss" | "sidestick" | "xstick" | "stick" | "cross" => "side",
        "hi" | "hightom" => "high",
        "lo" | "lowtom" => "low",
        "lh" | "l" => "left",
        "rh" | "r" => "right",
        word => word,
    }
}

/// The stroke that a file is called by: the one whose words its path has most of.
fn stroke_called(kit: &Kit, path: &str) -> Option<(usize, usize)> {
    let said: Vec<String> = words(path).iter().map(|word| same_word(word).to_owned()).collect();
    let has = |word: &str| said.iter().any(|one| one == same_word(word));
    // A file that is called by its note alone, or before anything else.
    if let Some(note) = words(path.rsplit('/').next()?).first().and_then(|first| first.parse::<u8>().ok()) {
        for (place, instrument) in kit.instruments.iter().enumerate() {
            let stroke = instrument.articulations.iter().position(|way| way.note_out.unwrap_or(way.note).get() == note);
            if let Some(stroke) = stroke.filter(|_| note >= 24) {
                return Some((place, stroke));
            }
        }
    }
    let mut best: Option<(usize, (usize, usize))> = None;
    for (place, instrument) in kit.instruments.iter().enumerate() {
        let own = words(&format!("{} {}", instrument.id, instrument.name));
        let mut own: Vec<&str> = own.iter().map(|word| same_word(word)).collect();
        own.sort_unstable();
        own.dedup();
        let is_family = names_of(instrument.family).iter().any(|word| has(word));
        let matched = own.iter().filter(|word| has(word)).count();
        if !is_family && matched < own.len().min(2) {
            continue;
        }
        for (stroke, way) in instrument.articulations.iter().enumerate() {
            let hand = format!("{:?}", way.hand).to_lowercase();
            let of_stroke = words(&way.name).iter().filter(|word| has(word)).count();
            let score = 8 * usize::from(is_family) + 4 * matched + 4 * of_stroke + usize::from(has(&hand));
            if best.is_none_or(|(most, _)| score > most) {
                best = Some((score, (place, stroke)));
            }
        }
    }
    best.map(|(_, at)| at)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(path: &str, loudness: f64) -> SampleFile {
        SampleFile { path: path.to_owned(), sound: "0".repeat(64), frames: 44_100, loudness }
    }

    fn called(path: &str) -> String {
        let kit = Kit::general_midi();
        stroke_called(&kit, path).map_or("nothing".to_owned(), |(place, stroke)| {
            let instrument = &kit.instruments[place];
            format!("{} {}", instrument.name, instrument.articulations[stroke].note.get())
        })
    }

    #[test]
    fn files_are_known_by_their_names() {
        let cases = [
            ("kick.wav", "Kick 36"),
            ("BD_01.flac", "Kick 36"),
            ("Snare_Center-v3RR02.wav", "Snare 38"),
            ("my kit/snare/side stick 1.wav", "Snare 37"),
            ("HH closed 1.wav", "Closed hat 42"),
            ("hat/open/soft.wav", "Open hat 46"),
            ("HatPedal.wav", "Pedal hat 44"),
            ("Ride bell.wav", "Ride 53"),
            ("cowbell.wav", "Cowbell 56"),
            ("38.wav", "Snare 38"),
            ("whatever.wav", "nothing"),
        ];
        for (path, stroke) in cases {
            assert!(called(path).starts_with(stroke.split(' ').next().unwrap()), "{path}: {}", called(path));
            let note = stroke.rsplit(' ').next().unwrap();
            assert!(stroke == "nothing" || called(path).ends_with(note), "{path}: {}", called(path));
        }
    }

    #[test]
    fn names_tell_layers_and_alternates() {
        assert_eq!(told("a/Snare_v3_rr02.wav"), Told { layer: Some(3), alternate: Some(2), number: None });
        assert_eq!(told("snare ff 2.wav"), Told { layer: Some(6), alternate: None, number: Some(2) });
        assert_eq!(told("snare 2.wav"), Told { layer: None, alternate: None, number: Some(2) });
    }

    #[test]
    fn six_layers_of_four_alternates_come_to_their_velocities() {
        let mut files = Vec::new();
        for layer in 1..=6 {
            for alternate in 1..=4 {
                files.push(file(&format!("snare_v{layer}_rr{alternate}.wav"), -40.0 + 6.0 * f64::from(layer)));
            }
        }
        let fitted = by_names(Kit::general_midi(), &files);
        assert_eq!((fitted.samples, fitted.strokes, fitted.said.len()), (24, 1, 0));
        let (_, snare) = fitted.kit.find(&vivida_core::InstrumentId::new("snare")).unwrap();
        let samples = &snare.articulations.iter().find(|way| way.note.get() == 38).unwrap().samples;
        assert_eq!(samples.len(), 24);
        assert_eq!((samples[0].from.get(), samples[0].to.get(), samples[0].turn, samples[0].turns), (1, 21, 1, 4));
        assert_eq!((samples[23].from.get(), samples[23].to.get(), samples[23].turn), (106, 127, 4));
        assert_eq!(snare.layers.len(), 6, "the layers of the row are those of the samples");
        // Every velocity is played, by exactly one.
        let mut turns = vivida_core::Turns::default();
        for velocity in 1..=127 {
            assert_eq!(turns.next(0, samples, Velocity::new(velocity).unwrap()).len(), 1);
        }
        fitted.kit.check().unwrap();
    }

    #[test]
    fn without_a_word_loudness_tells() {
        let kit = Kit::general_midi();
        let instrument = &kit.instruments[0];
        let alike = [file("a.wav", -10.0), file("b.wav", -11.0)];
        let alternates = layered(instrument, &alike.iter().collect::<Vec<_>>());
        assert_eq!(alternates.iter().map(|one| (one.turn, one.turns)).collect::<Vec<_>>(), [(1, 2), (2, 2)]);
        let apart = [file("a.wav", -10.0), file("b.wav", -30.0)];
        let layers = layered(instrument, &apart.iter().collect::<Vec<_>>());
        assert_eq!(
            layers.iter().map(|one| (&*one.name, one.to.get())).collect::<Vec<_>>(),
            [("b.wav", 63), ("a.wav", 127)]
        );
    }

    #[test]
    fn regions_come_to_the_strokes_of_their_keys() {
        let text = "<region> sample=Snare.wav key=38 group=3 off_by=3\n<region> sample=gone.wav key=36\n<region> sample=snare.wav key=20";
        let sfz = Sfz::read("a.sfz", |_| Some(text.to_owned())).unwrap();
        let fitted = by_sfz(Kit::general_midi(), &sfz, &[file("snare.wav", -10.0)]);
        assert_eq!((fitted.samples, fitted.strokes), (1, 1));
        assert_eq!(fitted.said.len(), 2, "{:?}", fitted.said);
        assert!(fitted.said[0].contains("20 (G#0)"), "{:?}", fitted.said);
        assert!(fitted.said[1].contains("gone.wav"), "{:?}", fitted.said);
    }

    #[test]
    fn loudness_is_that_of_the_loudest_moment() {
        let tone = |level: f32| {
            let value = |frame: usize| {
                if frame < 20_000 { 0.0 } else { level * if frame.is_multiple_of(2) { 1.0 } else { -1.0 } }
            };
            Clip::new(vec![(0..44_100).map(value).collect()])
        };
        assert!((loudness(&tone(1.0))).abs() < 0.3, "{}", loudness(&tone(1.0)));
        assert!((loudness(&tone(0.1)) + 20.0).abs() < 0.3);
        assert!(loudness(&Clip::silence(2, 0)) < -100.0);
    }
}
