//! Own sounds without a browser.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use tempfile::TempDir;

fn vivida(arguments: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_vivida")).args(arguments).current_dir(folder).output().expect("the program runs")
}

fn boathouse() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/Boathouse")
}

/// Kicks a second apart: 120 bpm, 480 ticks a quarter note.
fn kicks(velocities: &[u8]) -> Vec<u8> {
    let mut track: Vec<u8> = Vec::new();
    for (place, &velocity) in velocities.iter().enumerate() {
        // 960 ticks from the one before: 120 after its end at 840.
        let delta: &[u8] = if place == 0 { &[0] } else { &[0x86, 0x48] };
        track.extend(delta);
        track.extend([0x99, 36, velocity, 0x78, 0x89, 36, 64]);
    }
    track.extend(b"\0\xff\x2f\0");
    let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    file.extend((track.len() as u32).to_be_bytes());
    file.extend(track);
    file
}

fn samples(path: &Path) -> Vec<f64> {
    let reader = hound::WavReader::open(path).unwrap();
    reader.into_samples::<i16>().map(|value| f64::from(value.unwrap()) / 32768.0).collect()
}

/// What comes out is what the files and the numbers of the SFZ file say, worked out here anew.
#[test]
fn a_part_is_rendered_by_an_sfz_file() {
    let folder = TempDir::new().unwrap();
    let velocities = [127, 127, 40, 100];
    std::fs::write(folder.path().join("in.mid"), kicks(&velocities)).unwrap();
    let sounds = boathouse().display().to_string();
    let done = vivida(&["render", "in.mid", "--sounds", &sounds, "-o", "out.wav"], folder.path());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let out = samples(&folder.path().join("out.wav"));
    // The loud layer's first and second, the soft layer's first, the loud layer's first again.
    let files = ["Kick v2 rr1", "Kick v2 rr2", "Kick v1 rr1", "Kick v2 rr1"];
    for (second, (file, velocity)) in files.into_iter().zip(velocities).enumerate() {
        let own = samples(&boathouse().join(format!("kick/{file}.wav")));
        let followed = (f64::from(velocity) / 127.0).powf(1.7);
        let gain = 10f64.powf(-8.0 / 20.0) * (0.4 + 0.6 * followed) * std::f64::consts::FRAC_1_SQRT_2;
        let worst = own
            .iter()
            .enumerate()
            .map(|(frame, value)| (out[2 * (44_100 * second + frame)] - gain * value).abs())
            .fold(0.0, f64::max);
        assert!(worst < 1e-4, "{file} at second {second}: off by {worst}");
    }
}

#[test]
fn stems_and_mix_are_of_one_sound() {
    let folder = TempDir::new().unwrap();
    std::fs::write(folder.path().join("in.mid"), kicks(&[90, 100])).unwrap();
    let sfz = boathouse().join("Boathouse.sfz").display().to_string();
    let done = vivida(&["render", "in.mid", "--sounds", &sfz, "--stems", "-o", "out.zip"], folder.path());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let verbose = vivida(&["--verbose", "render", "in.mid", "--sounds", &sfz, "-o", "out.wav"], folder.path());
    assert!(String::from_utf8_lossy(&verbose.stderr).contains("Not used: ampeg_release."));
}

#[test]
fn what_is_no_kit_of_samples_is_refused_by_name() {
    let folder = TempDir::new().unwrap();
    let here = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    here("in.mid", "");
    std::fs::write(folder.path().join("in.mid"), kicks(&[90])).unwrap();
    for name in ["none", "two", "odd"] {
        std::fs::create_dir(folder.path().join(name)).unwrap();
    }
    here("two/a.sfz", "<region> sample=a.wav");
    here("two/b.sfz", "<region> sample=a.wav");
    here("odd/a.sfz", "#include \"a.sfz\"");
    for (path, said) in [
        ("none", "holds no WAV"),
        ("two", "holds 2 SFZ files"),
        ("odd", "includes itself"),
        ("nowhere", "nowhere: "),
        ("in.mid", "in.mid: "),
    ] {
        let done = vivida(&["render", "in.mid", "--sounds", path, "-o", "out.wav"], folder.path());
        let told = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && told.contains(said), "{path}: {told}");
        assert!(!folder.path().join("out.wav").exists());
    }
}
