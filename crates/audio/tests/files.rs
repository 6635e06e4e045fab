//! Files as they come: whole, cut off, lying, of other rates, and no sound at all.

use proptest::prelude::*;
use vivida_audio::{Analysis, Clip, Depth, Format, RATE, ReadError, Sensitivity, read, tempos, write_wav};

fn tone(frames: usize) -> Clip {
    Clip::new([0.31f32, 0.29].map(|step| (0..frames).map(|at| (at as f32 * step).sin() * 0.4).collect()).to_vec())
}

/// A WAV file of any depth and rate, by the plainest of writers.
fn wav(channels: u16, rate: u32, bits: u16, float: bool, data: &[u8]) -> Vec<u8> {
    let frame = channels * bits / 8;
    let mut file = b"RIFF".to_vec();
    file.extend((36 + data.len() as u32).to_le_bytes());
    file.extend(b"WAVEfmt \x10\0\0\0");
    file.extend(if float { 3u16 } else { 1 }.to_le_bytes());
    file.extend(channels.to_le_bytes());
    file.extend(rate.to_le_bytes());
    file.extend((rate * u32::from(frame)).to_le_bytes());
    file.extend(frame.to_le_bytes());
    file.extend(bits.to_le_bytes());
    file.extend(b"data");
    file.extend((data.len() as u32).to_le_bytes());
    file.extend(data);
    file
}

#[test]
fn whole_files_of_each_depth_are_read_as_they_are() {
    let samples: Vec<f64> = (0..4000).map(|at| 0.7 * (f64::from(at) * 0.05).sin()).collect();
    let whole = |bits: u32| move |value: &f64| (value * f64::from(1u32 << (bits - 1))) as i64;
    let eight: Vec<u8> = samples.iter().map(|value| (value * 127.0 + 128.0) as u8).collect();
    let sixteen: Vec<u8> = samples.iter().map(whole(16)).flat_map(|value| (value as i16).to_le_bytes()).collect();
    let twenty_four: Vec<u8> =
        samples.iter().map(whole(24)).flat_map(|value| (value as i32).to_le_bytes()[..3].to_vec()).collect();
    let thirty_two: Vec<u8> =
        samples.iter().map(|value| (value * 2147483647.0) as i32).flat_map(i32::to_le_bytes).collect();
    let float: Vec<u8> = samples.iter().map(|value| *value as f32).flat_map(f32::to_le_bytes).collect();
    for (bits, is_float, data, within) in [
        (8, false, eight, 0.02),
        (16, false, sixteen, 1e-4),
        (24, false, twenty_four, 1e-6),
        (32, false, thirty_two, 1e-6),
        (32, true, float, 1e-7),
    ] {
        let heard = read(wav(1, RATE, bits, is_float, &data)).unwrap();
        assert_eq!((heard.format, heard.clip.channels().len(), heard.clip.frames()), (Format::Wav, 1, 4000));
        let far = heard.clip.channels()[0].iter().zip(&samples).map(|(a, b)| (f64::from(*a) - b).abs());
        assert!(far.fold(0.0, f64::max) < within, "{bits} bits");
    }
}

#[test]
fn other_rates_are_brought_to_ours_in_place() {
    for rate in [8_000u32, 22_050, 48_000, 96_000, 192_000] {
        // A click a third of a second in.
        let frames = rate as usize;
        let click = rate as usize / 3;
        let data: Vec<u8> = (0..frames)
            .map(|at| if at >= click && at < click + 8 { 0.8f32 } else { 0.0 })
            .flat_map(f32::to_le_bytes)
            .collect();
        let heard = read(wav(1, rate, 32, true, &data)).unwrap();
        assert!(heard.said[0].contains(&rate.to_string()), "{:?}", heard.said);
        let own = &heard.clip.channels()[0];
        assert_eq!(own.len(), RATE as usize);
        let (loudest, _) = own.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).unwrap();
        let meant = (click as f64 + 3.5) / f64::from(rate);
        assert!((loudest as f64 / f64::from(RATE) - meant).abs() < 0.0005, "{rate}: {loudest}");
    }
}

#[test]
fn what_is_no_sound_is_refused_in_words() {
    assert_eq!(read(Vec::new()), Err(ReadError::Empty));
    for bytes in [b"hello, this is text".to_vec(), b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec(), vec![0; 40_000]] {
        let error = read(bytes).unwrap_err();
        assert!(matches!(error, ReadError::Unknown | ReadError::Empty | ReadError::Damaged(_)), "{error}");
    }
    assert!(matches!(read(wav(1, RATE, 16, false, &[])), Err(ReadError::Empty | ReadError::Damaged(_))));
    let six = read(wav(6, RATE, 16, false, &[0; 12_000])).unwrap_err();
    assert!(six.to_string().contains("6 channels"), "{six}");
}

#[test]
fn a_file_that_lies_or_breaks_off_is_read_as_far_as_it_goes() {
    let whole = write_wav(&tone(20_000), Depth::Sixteen).unwrap();
    let cut = read(whole[..44 + 4 * 9000 + 2].to_vec()).unwrap();
    assert!((8000..=9000).contains(&cut.clip.frames()), "{}", cut.clip.frames());
    let mut lying = whole.clone();
    lying[40..44].copy_from_slice(&u32::MAX.to_le_bytes());
    lying[4..8].copy_from_slice(&u32::MAX.to_le_bytes());
    assert!(read(lying).unwrap().clip.frames() >= 19_000);
}

#[test]
fn samples_that_are_no_numbers_are_silent_and_said() {
    let mut samples = vec![0.25f32; 3000];
    samples[10] = f32::NAN;
    samples[11] = f32::INFINITY;
    samples[12] = 1e30;
    let data: Vec<u8> = samples.into_iter().flat_map(f32::to_le_bytes).collect();
    let heard = read(wav(1, RATE, 32, true, &data)).unwrap();
    assert!(heard.clip.channels()[0].iter().all(|value| value.is_finite() && value.abs() <= 1.0));
    assert!(heard.said[0].starts_with("3 samples"), "{:?}", heard.said);
}

#[test]
fn silence_and_a_tone_hold_no_onsets_but_its_beginning() {
    let silent = Clip::silence(2, 60_000);
    assert!(Analysis::of(&silent).onsets(Sensitivity::default()).is_empty());
    assert_eq!(tempos(silent.frames(), &[]).len().min(1), 1);
    // It goes round without a seam: there is nothing to be found.
    let steps = 441.0 / 44_100.0 * std::f64::consts::TAU;
    let steady = Clip::new(vec![(0..44_100).map(|at| (f64::from(at) * steps).sin() as f32 * 0.3).collect()]);
    let found = Analysis::of(&steady).onsets(Sensitivity::default());
    assert!(found.len() <= 1, "{found:?}");
    let noise: Vec<f32> =
        (0..88_200u32).map(|at| ((at.wrapping_mul(2_654_435_761) >> 8) as f32 / 8_388_608.0 - 1.0) * 0.2).collect();
    let found = Analysis::of(&Clip::new(vec![noise])).onsets(Sensitivity::default());
    assert!(found.len() <= 4, "{}", found.len());
}

#[test]
fn more_sensitivity_finds_more() {
    let made = vivida_demo::LoopPlan::cut_break().make();
    let clip = Clip::new([0, 1].map(|side| made.frames.iter().map(|frame| frame[side]).collect()).to_vec());
    let analysis = Analysis::of(&clip);
    let counts: Vec<usize> =
        (0..=10).map(|step| analysis.onsets(Sensitivity::new(f64::from(10 * step)).unwrap()).len()).collect();
    assert!(counts.windows(2).all(|pair| pair[0] <= pair[1] + 1), "{counts:?}");
    println!("{counts:?}");
    assert!(counts[0] < counts[10], "{counts:?}");
    assert!(Sensitivity::new(-1.0).is_none() && Sensitivity::new(f64::NAN).is_none());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// A file in which anything was changed, or that ends anywhere, never makes it fail.
    #[test]
    fn hostile_files_are_read_or_refused(
        changes in prop::collection::vec((0usize..6000, any::<u8>()), 0..12),
        end in 0usize..6000,
    ) {
        let mut bytes = write_wav(&tone(1400), Depth::Sixteen).unwrap();
        bytes.truncate(end.max(4));
        for (at, value) in changes {
            if let Some(byte) = bytes.get_mut(at) {
                *byte = value;
            }
        }
        if let Ok(heard) = read(bytes) {
            prop_assert!(heard.clip.frames() > 0);
            let found = Analysis::of(&heard.clip).onsets(Sensitivity::default());
            prop_assert!(found.iter().all(|onset| onset.frame < heard.clip.frames()));
        }
    }
}

/// One stroke of the demo, as encoders of each format wrote it: the same length, the same sound at the same time.
#[test]
fn files_of_every_format_sound_alike() {
    let file = |name: &str| {
        let path = format!("{}/tests/formats/{name}", env!("CARGO_MANIFEST_DIR"));
        read(std::fs::read(path).unwrap()).unwrap()
    };
    let plain = file("stroke.wav");
    let own = plain.clip.mono();
    let energy = |values: &[f32]| values.iter().map(|value| f64::from(value * value)).sum::<f64>();
    for (name, format, least) in [
        ("stroke.aiff", Format::Aiff, 1.0),
        ("stroke.flac", Format::Flac, 1.0),
        ("stroke-48k.wav", Format::Wav, 0.999),
        ("stroke.ogg", Format::Ogg, 0.95),
        ("stroke.mp3", Format::Mp3, 0.95),
    ] {
        let other = file(name);
        assert_eq!((other.format, other.clip.frames()), (format, plain.clip.frames()), "{name}");
        let heard = other.clip.mono();
        let product: f64 = own.iter().zip(&heard).map(|(a, b)| f64::from(a * b)).sum();
        let alike = product / (energy(&own) * energy(&heard)).sqrt();
        assert!(alike >= least - 1e-9, "{name}: {alike}");
    }
}
