//! A song played by the kit, offline.

use crate::manifest::{NoteSound, RELEASE, drum_sound, layer, tone_sound};
use crate::synth::write_wav;
use crate::voice::Voice;
use crate::{ALTERNATES, SAMPLE_RATE, samples};
use std::collections::HashMap;
use vivida_core::{PlayedHit, TempoMap, Ticks, Velocity};

/// One sound to be played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Strike {
    /// Where it begins, in s.
    pub seconds: f64,
    /// How long its note lasts, in s.
    pub length: f64,
    /// How hard.
    pub velocity: Velocity,
    /// With what.
    pub sound: NoteSound,
}

/// What the hits of a part sound like, from `start` on.
pub fn strikes(hits: &[PlayedHit], drums: bool, tempo: &TempoMap, start: Ticks) -> Vec<Strike> {
    let from = tempo.seconds(start);
    let strike = |hit: &PlayedHit| {
        let seconds = tempo.seconds(hit.tick);
        Strike {
            seconds: seconds - from,
            length: tempo.seconds(hit.tick + hit.length) - seconds,
            velocity: hit.velocity,
            sound: if drums { drum_sound(hit.note) } else { tone_sound(hit.note) },
        }
    };
    hits.iter().filter(|hit| hit.silenced.is_none()).map(strike).collect()
}

/// Play strikes in any order into a stereo 16-bit WAV file. What would be louder than full scale
/// makes the whole softer; nothing is clipped.
pub fn mixdown(mut strikes: Vec<Strike>) -> Vec<u8> {
    strikes.sort_by(|a, b| a.seconds.total_cmp(&b.seconds));
    let rate = f64::from(SAMPLE_RATE);
    let end = strikes.iter().map(|strike| strike.seconds + strike.sound.voice.seconds() / strike.sound.rate);
    let frames = (end.fold(0.0, f64::max) * rate) as usize + 1;
    let mut mix = vec![[0.0f32; 2]; frames];

    let mut turns: HashMap<Voice, usize> = HashMap::new();
    for (index, strike) in strikes.iter().enumerate() {
        let turn = turns.entry(strike.sound.voice).or_default();
        let choked = strike.sound.choke.and_then(|group| {
            let later = strikes[index + 1..].iter().find(|other| other.sound.choke == Some(group));
            later.map(|other| other.seconds - strike.seconds)
        });
        let ended = strike.sound.sustained.then_some(strike.length);
        let stop = choked.into_iter().chain(ended).fold(f64::INFINITY, f64::min);
        add(&mut mix, strike, *turn % ALTERNATES, stop);
        *turn += 1;
    }
    let peak = mix.iter().flatten().fold(0.0f32, |peak, value| peak.max(value.abs()));
    let scale = if peak > 0.98 { 0.98 / peak } else { 1.0 };
    write_wav(2, mix.into_iter().flatten().map(|value| value * scale))
}

fn add(mix: &mut [[f32; 2]], strike: &Strike, alternate: usize, stop: f64) {
    let voice = strike.sound.voice;
    let all = samples(voice);
    let sample = all.sample(layer(strike.velocity), alternate);
    let rate = f64::from(SAMPLE_RATE);
    let start = (strike.seconds * rate).round() as usize;
    let gain = strike.velocity.amplitude() * voice.level();
    // Equal power: the two sides' squares add up to one.
    let angle = (voice.pan() + 1.0) * std::f64::consts::FRAC_PI_4;
    let sides = [(gain * angle.cos()) as f32, (gain * angle.sin()) as f32];
    for (frame, out) in mix.iter_mut().skip(start).enumerate() {
        let place = frame as f64 * strike.sound.rate;
        let below = place as usize;
        let Some(pair) = sample.get(below..below + 2) else { break };
        let over = frame as f64 / rate - stop;
        if over > RELEASE {
            break;
        }
        let fading = if over > 0.0 { 1.0 - over / RELEASE } else { 1.0 };
        let value = (pair[0] + (pair[1] - pair[0]) * (place - below as f64) as f32) * fading as f32;
        out[0] += value * sides[0];
        out[1] += value * sides[1];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vivida_core::Note;

    fn strike(note: u8, seconds: f64, velocity: u8) -> Strike {
        let sound = drum_sound(Note::from_data(note));
        Strike { seconds, length: 0.1, velocity: Velocity::new(velocity).unwrap(), sound }
    }

    fn energy(wav: &[u8], from: f64, to: f64) -> f64 {
        let mut reader = hound::WavReader::new(wav).unwrap();
        let at = |seconds: f64| (seconds * f64::from(SAMPLE_RATE)) as usize * 2;
        let samples: Vec<f64> = reader.samples::<i16>().map(|value| f64::from(value.unwrap())).collect();
        samples[at(from)..at(to).min(samples.len())].iter().map(|value| value * value).sum()
    }

    #[test]
    fn equal_songs_are_equal_to_the_bit() {
        let song = || vec![strike(36, 0.0, 100), strike(42, 0.25, 60), strike(38, 0.5, 110)];
        assert_eq!(mixdown(song()), mixdown(song()));
        let mut turned = song();
        turned.reverse();
        assert_eq!(mixdown(turned), mixdown(song()));
        assert!(!mixdown(Vec::new()).is_empty());
    }

    #[test]
    fn a_closed_hat_chokes_an_open_one() {
        let open = mixdown(vec![strike(46, 0.0, 100), strike(36, 0.2, 1)]);
        let choked = mixdown(vec![strike(46, 0.0, 100), strike(42, 0.2, 1)]);
        assert!(energy(&choked, 0.24, 0.4) < 0.01 * energy(&open, 0.24, 0.4));
        assert_eq!(energy(&choked, 0.0, 0.19), energy(&open, 0.0, 0.19));
    }

    #[test]
    fn nothing_is_clipped_however_many_play_at_once() {
        let loud = mixdown((0..40).map(|_| strike(36, 0.0, 127)).collect());
        let mut reader = hound::WavReader::new(&loud[..]).unwrap();
        let peak = reader.samples::<i16>().map(|value| value.unwrap().unsigned_abs()).max().unwrap();
        assert!(peak < 32_300, "{peak}");
    }
}
