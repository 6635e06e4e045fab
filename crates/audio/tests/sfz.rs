//! SFZ files as they come: whatever stands in them, what is read can be played.

use proptest::prelude::*;
use vivida_audio::{Region, SampleFile, Sfz, by_names, by_sfz};
use vivida_core::{Kit, Sample, Turns, Velocity};

fn word() -> impl Strategy<Value = String> {
    let opcodes = [
        "sample",
        "key",
        "lokey",
        "hikey",
        "lovel",
        "hivel",
        "seq_position",
        "seq_length",
        "lorand",
        "hirand",
        "volume",
        "pan",
        "amp_veltrack",
        "group",
        "off_by",
        "trigger",
        "default_path",
        "note_offset",
        "octave_offset",
        "cutoff",
    ];
    let values = [
        "a.wav",
        "b c.wav",
        "../a.wav",
        "/a.wav",
        "C:\\a.wav",
        "*sine",
        "0",
        "1",
        "-1",
        "38",
        "c2",
        "g#9",
        "127",
        "128",
        "1e9",
        "-1e300",
        "nan",
        "inf",
        "0.25",
        "4294967296",
        "attack",
        "release",
        "",
        "$X",
        "é",
    ];
    let headers = ["<region>", "<group>", "<global>", "<master>", "<control>", "<curve>", "<", ">", "<region"];
    let others =
        ["// nothing\n", "/*", "*/", "#define $X 38\n", "#include \"b.sfz\"\n", "#include\n", "\n", "=", "\u{0}"];
    prop_oneof![
        6 => (prop::sample::select(opcodes.to_vec()), prop::sample::select(values.to_vec())).prop_map(|(one, value)| format!("{one}={value}")),
        4 => prop::sample::select(headers.to_vec()).prop_map(str::to_owned),
        1 => prop::sample::select(others.to_vec()).prop_map(str::to_owned),
    ]
}

fn files() -> Vec<SampleFile> {
    ["a.wav", "b c.wav"]
        .map(|path| SampleFile { path: path.to_owned(), sound: "0".repeat(64), frames: 4410, loudness: -12.0 })
        .to_vec()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn whatever_stands_in_it_can_be_played(words in prop::collection::vec(word(), 0..60)) {
        let text = format!("{} <region> sample=a.wav key=38", words.join(" "));
        let text_of = |path: &str| match path {
            "a.sfz" => Some(text.clone()),
            "b.sfz" => Some("<region> sample=b c.wav".to_owned()),
            _ => None,
        };
        let Ok(read) = Sfz::read("a.sfz", text_of) else { return Ok(()) };
        for Region { path, keys, velocities, turn: (turn, turns), volume, pan, track, .. } in &read.regions {
            prop_assert!(!path.split('/').any(|part| part == ".."), "{path}");
            prop_assert!(keys.start() <= keys.end() && *keys.end() < 128);
            prop_assert!(1 <= *velocities.start() && velocities.start() <= velocities.end() && *velocities.end() < 128);
            prop_assert!(1 <= *turn && turn <= turns && *turns <= Sample::MOST_TURNS);
            prop_assert!((-96.0..=24.0).contains(volume) && (-100.0..=100.0).contains(pan) && (0.0..=100.0).contains(track));
        }
        let fitted = by_sfz(Kit::general_midi(), &read, &files());
        prop_assert!(fitted.kit.check().is_ok() || fitted.kit.samples().count() > Sample::MOST, "{:?}", fitted.kit.check());
    }

    /// Files of one stroke, whatever they are called: each velocity is played by exactly one of them.
    #[test]
    fn however_files_are_called_every_velocity_is_played(
        layers in 1..8usize,
        alternates in 1..5usize,
        named in prop::sample::select(vec!["v", "vel", "layer ", ""]),
        hard in 1..=127u8,
    ) {
        let mut files = Vec::new();
        for layer in 0..layers {
            for alternate in 0..alternates {
                let layer_name = if named.is_empty() { String::new() } else { format!("{named}{layer}") };
                let path = format!("Snare {layer_name} rr{alternate} {}.wav", (b'a' + layer as u8) as char);
                files.push(SampleFile { path, loudness: -40.0 + 5.0 * layer as f64, ..self::files()[0].clone() });
            }
        }
        let fitted = by_names(Kit::general_midi(), &files);
        prop_assert_eq!(fitted.samples, files.len());
        prop_assert!(fitted.kit.check().is_ok());
        let samples: Vec<Sample> = fitted.kit.samples().cloned().collect();
        let velocity = Velocity::new(hard).unwrap();
        let mut turns = Turns::default();
        let heard: Vec<Vec<usize>> = (0..2 * files.len()).map(|_| turns.next(0, &samples, velocity)).collect();
        prop_assert!(heard.iter().all(|one| one.len() == 1), "{heard:?}");
        // All of its layer are heard before one comes again.
        let of_layer = samples.iter().filter(|one| one.plays(velocity)).count();
        let first: std::collections::BTreeSet<usize> = heard[..of_layer].iter().flatten().copied().collect();
        prop_assert_eq!(first.len(), of_layer);
        prop_assert!(samples.iter().all(|one| one.gain(velocity).is_finite()));
    }
}
