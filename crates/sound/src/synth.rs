//! From what a voice is made of to samples.

use crate::voice::{Component, Voice};
use crate::{ALTERNATES, LAYER_COUNT, SAMPLE_RATE};
use hound::{SampleFormat, WavSpec, WavWriter};
use std::f64::consts::TAU;
use std::io::Cursor;
use std::sync::{Arc, OnceLock};

/// The peak that every sample is brought to.
const PEAK: f64 = 0.8;
/// How hard the stroke of each layer is, 0 to 1.
const HARDNESS: [f64; LAYER_COUNT] = [0.12, 0.28, 0.45, 0.63, 0.81, 1.0];

/// All samples of a voice, mono, one behind the other: layer by layer, in each alternate by
/// alternate.
#[derive(Clone, Debug, PartialEq)]
pub struct Samples {
    /// The length of one sample.
    pub frames: usize,
    /// −1 to 1.
    pub data: Vec<f32>,
}

impl Samples {
    /// One of the samples.
    pub fn sample(&self, layer: usize, alternate: usize) -> &[f32] {
        let start = (layer * ALTERNATES + alternate) * self.frames;
        &self.data[start..start + self.frames]
    }
}

/// The samples of a voice, rendered the first time they are asked for.
pub fn samples(voice: Voice) -> Arc<Samples> {
    static RENDERED: [OnceLock<Arc<Samples>>; Voice::ALL.len()] = [const { OnceLock::new() }; Voice::ALL.len()];
    RENDERED[voice as usize].get_or_init(|| Arc::new(render(voice))).clone()
}

/// The samples of a voice as a WAV file: mono, 16 bit.
pub fn wav(voice: Voice) -> Vec<u8> {
    let spec = WavSpec { channels: 1, sample_rate: SAMPLE_RATE, bits_per_sample: 16, sample_format: SampleFormat::Int };
    let mut bytes = Cursor::new(Vec::new());
    let mut writer = WavWriter::new(&mut bytes, spec).expect("memory can be written to");
    for value in &samples(voice).data {
        writer.write_sample((value * 32767.0).round() as i16).expect("memory can be written to");
    }
    writer.finalize().expect("memory can be written to");
    bytes.into_inner()
}

fn render(voice: Voice) -> Samples {
    let frames = (voice.seconds() * f64::from(SAMPLE_RATE)) as usize;
    let mut data = Vec::with_capacity(frames * LAYER_COUNT * ALTERNATES);
    for (layer, &hardness) in HARDNESS.iter().enumerate() {
        for alternate in 0..ALTERNATES {
            let seed = ((voice as u64) << 16) | ((layer as u64) << 8) | alternate as u64;
            data.extend(stroke(voice, hardness, seed, frames).into_iter().map(|value| value as f32));
        }
    }
    Samples { frames, data }
}

fn stroke(voice: Voice, hardness: f64, seed: u64, frames: usize) -> Vec<f64> {
    let mut dice = Noise::new(seed);
    let mut out = vec![0.0; frames];
    let components = voice.components();
    let body = components.iter().position(|part| matches!(part, Component::Sine { .. }));
    for (index, part) in components.into_iter().enumerate() {
        // No two strokes land on the same spot: pitch, ring and loudness of each part differ.
        let bend = 1.0 + 0.006 * dice.next();
        let ring = (1.0 + 0.1 * dice.next()) * (0.82 + 0.18 * hardness);
        let overtone = matches!(part, Component::Sine { .. }) && body != Some(index);
        let level = (1.0 + 0.09 * dice.next()) * if overtone { 0.3 + 0.7 * hardness } else { 1.0 };
        add(&mut out, &varied(part, bend, ring, level), hardness, &mut dice);
    }
    let peak = out.iter().fold(0.0, |peak: f64, value| peak.max(value.abs()));
    let fade = (0.008 * f64::from(SAMPLE_RATE)) as usize;
    for (frame, value) in out.iter_mut().enumerate() {
        *value *= PEAK / peak * ((frames - 1 - frame) as f64 / fade as f64).min(1.0);
    }
    out
}

fn varied(part: Component, bend: f64, ring: f64, louder: f64) -> Component {
    match part {
        Component::Sine { hz, drop, fall, level, decay } => {
            Component::Sine { hz: hz * bend, drop, fall, level: level * louder, decay: decay * ring }
        }
        Component::Noise { low, high, level, decay, attack, bright } => Component::Noise {
            low: low * bend,
            high: high * bend,
            level: level * louder,
            decay: decay * ring,
            attack,
            bright,
        },
        Component::Metal { hz, level, decay, bright } => {
            Component::Metal { hz: hz * bend, level: level * louder, decay: decay * ring, bright }
        }
        // A string that is bent is out of tune.
        Component::String { hz, level, decay } => Component::String { hz, level: level * louder, decay: decay * ring },
    }
}

fn add(out: &mut [f64], part: &Component, hardness: f64, dice: &mut Noise) {
    match *part {
        Component::Sine { hz, drop, fall, level, decay } => {
            add_sine(out, hz, drop * (0.55 + 0.45 * hardness), fall, level, decay);
        }
        Component::Noise { low, high, level, decay, attack, bright } => {
            let level = level * (1.0 - bright + bright * hardness);
            // Soft strokes are darker: the band closes from above.
            let high = low + (high - low) * (0.4 + 0.6 * hardness);
            add_noise(out, [low, high], level, decay, attack, dice);
        }
        Component::Metal { hz, level, decay, bright } => {
            for (index, ratio) in METAL.iter().enumerate() {
                let need = index as f64 / METAL.len() as f64;
                let level = level * (1.0 - bright + bright * hardness) * (1.0 - need * (1.0 - hardness));
                let decay = decay * (1.0 - 0.4 * need);
                add_sine(out, hz * ratio * (1.0 + 0.004 * dice.next()), 0.0, 1.0, level / 3.0, decay);
            }
        }
        Component::String { hz, level, decay } => {
            for harmonic in 1..=9u32 {
                let number = f64::from(harmonic);
                let level = level
                    * (1.0 + 0.15 * dice.next())
                    * libm::pow(number, -0.9)
                    * libm::pow(0.25 + 0.75 * hardness, number - 1.0);
                if hz * number < 12_000.0 {
                    add_sine(out, hz * number, 0.0, 1.0, level, decay * (1.0 + 0.2 * dice.next()) / number.sqrt());
                }
            }
        }
    }
}

/// Frequency ratios of partials of a struck cymbal: dense and without a common fundamental.
const METAL: [f64; 9] = [1.0, 1.342, 1.231, 1.653, 1.957, 2.193, 2.618, 3.117, 3.634];

fn add_sine(out: &mut [f64], hz: f64, drop: f64, fall: f64, level: f64, decay: f64) {
    let step = 1.0 / f64::from(SAMPLE_RATE);
    let mut phase = 0.0;
    let (mut above, mut envelope) = (drop, level);
    let (falling, dying) = (libm::exp(-step / fall), libm::exp(-step / decay));
    for value in out {
        *value += envelope * f64::sin(phase);
        let pitch = if above > 1e-4 { hz * libm::exp2(above) } else { hz };
        phase = (phase + TAU * pitch * step) % TAU;
        above *= falling;
        envelope *= dying;
        if envelope < 1e-7 {
            break;
        }
    }
}

fn add_noise(out: &mut [f64], band: [f64; 2], level: f64, decay: f64, attack: f64, dice: &mut Noise) {
    let step = 1.0 / f64::from(SAMPLE_RATE);
    let mut cut_low = [Pole::new(band[0]), Pole::new(band[0])];
    let mut cut_high = [Pole::new(band[1]), Pole::new(band[1])];
    let dying = libm::exp(-step / decay);
    let mut envelope = level * 1.6;
    for (frame, value) in out.iter_mut().enumerate() {
        let mut sound = dice.next();
        for pole in &mut cut_low {
            sound -= pole.low(sound);
        }
        for pole in &mut cut_high {
            sound = pole.low(sound);
        }
        let rise = (frame as f64 * step / attack).min(1.0);
        *value += sound * envelope * rise;
        if rise >= 1.0 {
            envelope *= dying;
        }
        if envelope < 1e-7 {
            break;
        }
    }
}

/// A one-pole low-pass filter.
struct Pole {
    follow: f64,
    state: f64,
}

impl Pole {
    fn new(hz: f64) -> Pole {
        Pole { follow: 1.0 - libm::exp(-TAU * hz / f64::from(SAMPLE_RATE)), state: 0.0 }
    }

    fn low(&mut self, sound: f64) -> f64 {
        self.state += self.follow * (sound - self.state);
        self.state
    }
}

/// White noise, −1 to 1, the same for the same seed (xorshift64*, Marsaglia 2003, Vigna 2016).
struct Noise(u64);

impl Noise {
    fn new(seed: u64) -> Noise {
        let mut noise = Noise((seed + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
        for _ in 0..8 {
            noise.next();
        }
        noise
    }

    fn next(&mut self) -> f64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    }
}
