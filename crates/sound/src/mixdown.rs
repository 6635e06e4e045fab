//! A song played by the kit, offline.

use crate::SAMPLE_RATE;
use crate::manifest::{NoteSound, RELEASE, layer};
use crate::strip::{Strip, Working};
use crate::synth::{Samples, samples};
use crate::voice::Voice;
use biquad::{Biquad, Coefficients, DirectForm2Transposed, Hertz, Q_BUTTERWORTH_F64, Type};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::fmt;
use std::io::{self, Write};
use std::sync::{Arc, OnceLock};
use vivida_core::{Movement, Sample, Velocity};

/// One sound to be played.
#[derive(Clone, Debug, PartialEq)]
pub struct Strike {
    /// Where it begins, in s.
    pub seconds: f64,
    /// How long its note lasts, in s.
    pub length: f64,
    /// How loud.
    pub velocity: Velocity,
    /// Which layer of the samples.
    pub layer: usize,
    /// Strikes of one part choke each other.
    pub part: u32,
    /// The place in its part's kit of the drum; nothing where it is of none.
    pub drum: Option<u16>,
    /// With what.
    pub sound: NoteSound,
    /// By which own sound instead: the samples of its stroke, and the place of the one among them.
    pub own: Option<(Arc<Vec<Sample>>, usize)>,
    /// How it moves in pitch, place, level and brightness.
    pub movement: Movement,
}

/// Where own sounds come from.
pub trait Recordings: fmt::Debug + Send + Sync {
    /// The channels of a file, at [`SAMPLE_RATE`]; nothing where it is gone.
    fn channels(&self, sound: &str) -> Option<Arc<Vec<Vec<f32>>>>;
}

impl Strike {
    /// By the usual layers.
    pub fn plain(seconds: f64, length: f64, velocity: Velocity, sound: NoteSound) -> Strike {
        Strike {
            seconds,
            length,
            velocity,
            layer: layer(velocity),
            part: 0,
            drum: None,
            sound,
            own: None,
            movement: Movement::NONE,
        }
    }

    fn sample(&self) -> Option<&Sample> {
        self.own.as_ref().map(|(samples, place)| &samples[*place])
    }

    /// How long it rings out, in s.
    fn rings(&self) -> f64 {
        match self.sample() {
            Some(sample) => sample.frames as f64 / f64::from(SAMPLE_RATE) / self.faster(),
            None => self.sound.voice.seconds() / self.sound.rate / self.faster(),
        }
    }

    /// How many times as fast its sample is played.
    fn faster(&self) -> f64 {
        match self.movement.pitch {
            0.0 => 1.0,
            cents => libm::exp2(f64::from(cents) / 1200.0),
        }
    }

    /// How many times as loud it is.
    fn louder(&self) -> f64 {
        match self.movement.level {
            0.0 => 1.0,
            db => libm::pow(10.0, f64::from(db) / 20.0),
        }
    }

    /// Where it stands, where the sound would stand at `pan`: −1 to 1.
    fn placed(&self, pan: f64) -> f64 {
        (pan + f64::from(self.movement.place) / 100.0).clamp(-1.0, 1.0)
    }

    /// The group that it belongs to and the one that ends it.
    fn groups(&self) -> [Option<Group>; 2] {
        let of_kit = self.sound.choke.map(Group::OfKit);
        match self.sample() {
            Some(sample) if sample.group.is_some() || sample.off_by.is_some() => {
                [sample.group, sample.off_by].map(|group| group.map(Group::OfSamples))
            }
            _ => [of_kit, of_kit],
        }
    }
}

/// Strikes of some groups end those of some.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Group {
    OfKit(u16),
    OfSamples(u32),
}

/// A stereo mixdown of strikes, worked out block by block: it takes as much memory for an hour as for a bar.
///
/// What would be louder than full scale makes the whole softer; nothing is clipped. To know that, the whole
/// is gone through once before the first block is written.
///
/// ```
/// use vivida_sound::Mixdown;
/// let mut file = Vec::new();
/// Mixdown::new(Vec::new()).write(&mut file, |_| true).unwrap();
/// assert!(file.starts_with(b"RIFF"));
/// ```
#[derive(Clone, Debug)]
pub struct Mixdown {
    /// In order of time.
    strikes: Vec<Planned>,
    /// What is not played but was recorded.
    recorded: Vec<Recorded>,
    /// What lanes do to the parts that have any.
    strips: Arc<BTreeMap<u32, Strip>>,
    /// What own sounds are read from; without it the built-in kit plays.
    recordings: Option<Arc<dyn Recordings>>,
    frames: u64,
    /// The mixdown that this is a stem of: it is as loud as it is in there.
    whole: Option<Arc<Mixdown>>,
    /// The loudest of it, once it was gone through.
    peak: OnceLock<f32>,
}

/// Sound that lies in a mixdown as it is: one channel for both sides, or one for each.
#[derive(Clone, Debug)]
pub struct Recorded {
    /// Of which part.
    pub part: u32,
    /// The first frame that it sounds in.
    pub start: u64,
    /// What sounds.
    pub sound: Arc<dyn Passage>,
}

/// Sound that is told a stretch at a time, one channel or two, at [`SAMPLE_RATE`].
pub trait Passage: fmt::Debug + Send + Sync {
    /// How many frames it lasts.
    fn frames(&self) -> u64;

    /// So many of its frames from one on: one channel for both sides, or one for each.
    fn stretch(&self, from: u64, frames: usize) -> Vec<Vec<f32>>;
}

/// Channels of equal length.
impl Passage for Vec<Vec<f32>> {
    fn frames(&self) -> u64 {
        self.first().map_or(0, Vec::len) as u64
    }

    fn stretch(&self, from: u64, frames: usize) -> Vec<Vec<f32>> {
        let from = from as usize;
        self.iter().map(|channel| channel[from..channel.len().min(from + frames)].to_vec()).collect()
    }
}

impl Recorded {
    fn end(&self) -> u64 {
        self.start + self.sound.frames()
    }

    fn add_to(&self, block: &mut [[f32; 2]], from: u64) {
        let first = self.start.saturating_sub(from).min(block.len() as u64) as usize;
        let gone = from.saturating_sub(self.start).min(self.sound.frames());
        let length = (self.sound.frames() - gone).min((block.len() - first) as u64) as usize;
        if length == 0 {
            return;
        }
        let channels = self.sound.stretch(gone, length);
        let (Some(left), Some(right)) = (channels.first(), channels.last()) else { return };
        for (out, (left, right)) in block[first..].iter_mut().zip(left.iter().zip(right)) {
            out[0] += left;
            out[1] += right;
        }
    }
}

#[derive(Clone, Debug)]
struct Planned {
    strike: Strike,
    /// The first frame that it sounds in.
    start: u64,
    /// When it is choked or ends, in s from its start.
    stop: f64,
    alternate: usize,
}

/// So many frames are worked out at once.
const BLOCK: usize = 4096;
/// The loudest that a mixdown becomes.
const FULL: f32 = 0.98;
/// The bytes of a WAV file before its samples.
const WAV_HEAD: u64 = 44;

impl Mixdown {
    /// Of strikes in any order.
    pub fn new(mut strikes: Vec<Strike>) -> Mixdown {
        strikes.sort_by(|a, b| a.seconds.total_cmp(&b.seconds));
        let rate = f64::from(SAMPLE_RATE);
        let end = strikes.iter().map(|strike| strike.seconds + strike.rings());
        let frames = (end.fold(0.0, f64::max) * rate) as u64 + 1;
        let mut turns: HashMap<(Voice, usize), usize> = HashMap::new();
        let mut planned: Vec<Planned> = strikes
            .into_iter()
            .map(|strike| {
                let [first, count] = strike.sound.turns;
                let start = (strike.seconds * rate).round() as u64;
                let stop = if strike.sound.sustained { strike.length } else { f64::INFINITY };
                if strike.own.is_some() {
                    return Planned { strike, start, stop, alternate: 0 };
                }
                let turn = turns.entry((strike.sound.voice, first)).or_default();
                *turn += 1;
                Planned { strike, start, stop, alternate: first + (*turn - 1) % count }
            })
            .collect();
        // From the back: the next strike of each group chokes the one before it. What is struck at once does not:
        // of each group the next two times are known.
        let mut next: HashMap<(u32, Group), [f64; 2]> = HashMap::new();
        for one in planned.iter_mut().rev() {
            let (part, seconds) = (one.strike.part, one.strike.seconds);
            let [group, off_by] = one.strike.groups();
            let at_once = one.strike.own.is_some();
            if let Some(times) = off_by.and_then(|group| next.get(&(part, group))) {
                let later = times.iter().find(|&&time| !at_once || time > seconds);
                one.stop = one.stop.min(later.map_or(f64::INFINITY, |later| later - seconds));
            }
            if let Some(group) = group {
                let times = next.entry((part, group)).or_insert([f64::INFINITY; 2]);
                *times = if at_once && times[0] == seconds { *times } else { [seconds, times[0]] };
            }
        }
        let peak = OnceLock::new();
        let strips = Arc::default();
        Mixdown { strikes: planned, recorded: Vec::new(), strips, recordings: None, frames, whole: None, peak }
    }

    /// With what lanes do to parts, by their numbers.
    pub fn with_strips(mut self, strips: BTreeMap<u32, Strip>) -> Mixdown {
        let rate = f64::from(SAMPLE_RATE);
        for Planned { strike, .. } in &self.strikes {
            // What is bent down lasts longer.
            if let Some(strip) = strips.get(&strike.part) {
                let end = (strike.seconds + strike.rings() / strip.slowest()) * rate;
                self.frames = self.frames.max(end as u64 + 1);
            }
        }
        self.strips = Arc::new(strips);
        self
    }

    /// With own sounds read from here.
    pub fn with_recordings(mut self, recordings: Arc<dyn Recordings>) -> Mixdown {
        self.recordings = Some(recordings);
        self
    }

    /// The own sounds that it needs, each once: their files and what they were called.
    pub fn own_sounds(&self) -> impl Iterator<Item = (&str, &str)> {
        let mut known = HashSet::new();
        let samples = self.strikes.iter().filter_map(|one| one.strike.sample());
        samples.filter(move |sample| known.insert(&sample.sound)).map(|sample| (&*sample.sound, &*sample.name))
    }

    /// With recorded sound beside the strikes.
    pub fn with_recorded(mut self, recorded: Vec<Recorded>) -> Mixdown {
        self.frames = recorded.iter().map(Recorded::end).fold(self.frames, u64::max);
        self.recorded = recorded;
        self
    }

    /// What it has stems of: parts, and of each the drums that are struck. What was recorded is of no drum.
    pub fn stems(&self) -> BTreeSet<(u32, Option<u16>)> {
        let struck = self.strikes.iter().map(|one| (one.strike.part, one.strike.drum));
        struck.chain(self.recorded.iter().map(|one| (one.part, None))).collect()
    }

    /// One drum of a part by itself, just as it is in here: as long, as loud, by the same samples, choked by what is
    /// not heard in it. All stems together are the mixdown; they are written with 24 bits, so that their sum
    /// rounds as it does.
    pub fn stem(self: &Arc<Mixdown>, part: u32, drum: Option<u16>) -> Mixdown {
        let strikes = self.strikes.iter().filter(|one| (one.strike.part, one.strike.drum) == (part, drum));
        let recorded = self.recorded.iter().filter(|one| drum.is_none() && one.part == part);
        Mixdown {
            strikes: strikes.cloned().collect(),
            recorded: recorded.cloned().collect(),
            strips: self.strips.clone(),
            recordings: self.recordings.clone(),
            frames: self.frames,
            whole: Some(self.clone()),
            peak: OnceLock::new(),
        }
    }

    /// How long it lasts, in s.
    pub fn seconds(&self) -> f64 {
        self.frames as f64 / f64::from(SAMPLE_RATE)
    }

    /// How large its WAV file is, in bytes.
    pub fn size(&self) -> u64 {
        WAV_HEAD + self.bytes_a_frame() * self.frames
    }

    /// Two channels of two bytes; of three in a stem.
    fn bytes_a_frame(&self) -> u64 {
        if self.whole.is_some() { 6 } else { 4 }
    }

    /// Writes a stereo WAV file of 16 bits, a stem of 24. `go_on` is told what share (0 to 1) is done and answers whether to go on.
    ///
    /// # Errors
    ///
    /// Where `out` cannot be written to; [`io::ErrorKind::Interrupted`] where `go_on` answered no.
    pub fn write(&self, out: &mut impl Write, mut go_on: impl FnMut(f64) -> bool) -> io::Result<()> {
        let stopped = || io::Error::new(io::ErrorKind::Interrupted, "stopped");
        let mixed = self.whole.as_deref().unwrap_or(self);
        let known = mixed.peak.get().copied();
        let times = if known.is_some() { 1.0 } else { 2.0 };
        let whole = times * self.frames as f64;
        let mut done = 0.0;
        let mut step = |frames: usize| {
            done += frames as f64;
            if go_on(done / whole) { Ok(()) } else { Err(stopped()) }
        };
        let peak = match known {
            Some(peak) => peak,
            None => {
                let mut peak = 0.0f32;
                mixed.blocks(|block| {
                    peak = block.iter().flatten().fold(peak, |peak, value| peak.max(value.abs()));
                    step(block.len())
                })?;
                *mixed.peak.get_or_init(|| peak)
            }
        };
        let scale = if peak > FULL { FULL / peak } else { 1.0 };
        out.write_all(&self.head())?;
        let mut bytes = Vec::with_capacity(6 * BLOCK);
        self.blocks(|block| {
            bytes.clear();
            for value in block.iter().flatten() {
                match self.whole {
                    None => bytes.extend_from_slice(&sixteen_bits(value * scale).to_le_bytes()),
                    Some(_) => bytes.extend_from_slice(&finer(value * scale).to_le_bytes()[..3]),
                }
            }
            out.write_all(&bytes)?;
            step(block.len())
        })?;
        out.flush()
    }

    /// The head of a WAV file whose length is known before its samples are. (The WAV writer that samples are
    /// written with goes back to its head when it is done, which a stream cannot.)
    fn head(&self) -> Vec<u8> {
        let frame = self.bytes_a_frame();
        let data = frame * self.frames;
        let mut head = Vec::with_capacity(WAV_HEAD as usize);
        let number = |head: &mut Vec<u8>, value: u64| head.extend_from_slice(&(value as u32).to_le_bytes());
        head.extend_from_slice(b"RIFF");
        number(&mut head, WAV_HEAD - 8 + data);
        head.extend_from_slice(b"WAVEfmt ");
        number(&mut head, 16);
        // Whole numbers, two channels.
        head.extend_from_slice(&[1, 0, 2, 0]);
        number(&mut head, u64::from(SAMPLE_RATE));
        number(&mut head, frame * u64::from(SAMPLE_RATE));
        // Bytes a frame, bits a sample.
        head.extend_from_slice(&[frame as u8, 0, 4 * frame as u8, 0]);
        head.extend_from_slice(b"data");
        number(&mut head, data);
        head
    }

    /// All blocks, one after the other, until one fails.
    fn blocks(&self, mut take: impl FnMut(&[[f32; 2]]) -> io::Result<()>) -> io::Result<()> {
        let mut mix = vec![[0.0f32; 2]; BLOCK];
        let mut sounding: Vec<Sounding> = Vec::new();
        let mut coming = self.strikes.iter().peekable();
        let mut strips: BTreeMap<u32, Working<'_>> =
            self.strips.iter().map(|(part, strip)| (*part, Working::new(strip))).collect();
        let mut from = 0u64;
        while from < self.frames {
            let length = BLOCK.min((self.frames - from) as usize);
            let block = &mut mix[..length];
            block.fill([0.0; 2]);
            let end = from + length as u64;
            while let Some(one) = coming.next_if(|one| one.start < end) {
                sounding.extend(Sounding::of(one, self.recordings.as_deref()));
            }
            strips.values_mut().for_each(|strip| strip.begin(from, length));
            sounding.retain_mut(|one| match strips.get_mut(&one.part) {
                Some(strip) => one.add_to(&mut strip.block, from, &strip.rates),
                None => one.add_to(block, from, &[]),
            });
            for one in &self.recorded {
                match strips.get_mut(&one.part) {
                    Some(strip) => one.add_to(&mut strip.block, from),
                    None => one.add_to(block, from),
                }
            }
            strips.values_mut().for_each(|strip| strip.add_to(block, from));
            take(block)?;
            from = end;
        }
        Ok(())
    }
}

fn sixteen_bits(value: f32) -> i16 {
    (value * 32767.0).round() as i16
}

/// The same in 256 times as fine steps.
fn finer(value: f32) -> i32 {
    (f64::from(value) * (32767.0 * 256.0)).round() as i32
}

/// A strike that sounds.
struct Sounding {
    source: Source,
    part: u32,
    start: u64,
    /// Where in its source it is, in frames, while a bend changes its rate.
    bent: f64,
    rate: f64,
    /// How much of each channel of the source goes to each side.
    sides: Vec<[f32; 2]>,
    /// In frames from its start: where it begins to die away.
    stop: f64,
    /// For each channel of the source what makes it brighter or darker, if anything does.
    shelves: Vec<DirectForm2Transposed<f64>>,
}

/// What a strike sounds by.
enum Source {
    Voice(Arc<Samples>, usize, usize),
    Own(Arc<Vec<Vec<f32>>>),
}

impl Source {
    fn channel(&self, number: usize) -> &[f32] {
        match self {
            Source::Voice(samples, layer, alternate) => samples.sample(*layer, *alternate),
            Source::Own(channels) => &channels[number],
        }
    }
}

/// Above this, in Hz, a brighter hit is louder.
pub(crate) const BRIGHT: f64 = 4000.0;
/// By so much at 100 %, in dB.
pub(crate) const BRIGHTEST: f64 = 12.0;

/// A high shelf of slope 1, as Web Audio's filter of that name.
fn shelf(brightness: f64) -> DirectForm2Transposed<f64> {
    let (rate, edge) = (Hertz::from_hz(f64::from(SAMPLE_RATE)), Hertz::from_hz(BRIGHT));
    let (Ok(rate), Ok(edge)) = (rate, edge) else { unreachable!("both are above 0") };
    let kind = Type::HighShelf(brightness / 100.0 * BRIGHTEST);
    let made = Coefficients::<f64>::from_params(kind, rate, edge, Q_BUTTERWORTH_F64);
    DirectForm2Transposed::new(made.expect("4 kHz lie below half of the rate"))
}

/// Equal power: the two sides' squares add up to one.
fn panned(pan: f64, gain: f64) -> [f32; 2] {
    let angle = (pan + 1.0) * std::f64::consts::FRAC_PI_4;
    [(gain * libm::cos(angle)) as f32, (gain * libm::sin(angle)) as f32]
}

/// Of two sides: what one loses goes to the other, as Web Audio's panner has it.
fn panned_sides(pan: f64, gain: f64) -> Vec<[f32; 2]> {
    let angle = if pan <= 0.0 { pan + 1.0 } else { pan } * std::f64::consts::FRAC_PI_2;
    let [near, far] = [(gain * libm::cos(angle)) as f32, (gain * libm::sin(angle)) as f32];
    let gain = gain as f32;
    if pan <= 0.0 { vec![[gain, 0.0], [near, far]] } else { vec![[near, far], [0.0, gain]] }
}

impl Sounding {
    /// Nothing where the file of its own sound is gone meanwhile.
    fn of(one: &Planned, recordings: Option<&dyn Recordings>) -> Option<Sounding> {
        let Planned { strike, start, stop, alternate } = one;
        let (source, rate, sides) = match strike.sample().zip(recordings) {
            Some((sample, recordings)) => {
                let channels = recordings.channels(&sample.sound)?;
                let gain = sample.gain(strike.velocity) * strike.louder();
                let pan = strike.placed(sample.pan / 100.0);
                let sides = match channels.len() {
                    1 => vec![panned(pan, gain)],
                    2 => panned_sides(pan, gain),
                    _ => return None,
                };
                (Source::Own(channels), strike.faster(), sides)
            }
            None => {
                let voice = strike.sound.voice;
                let gain = strike.velocity.amplitude() * voice.level() * strike.louder();
                let source = Source::Voice(samples(voice), strike.layer, *alternate);
                (source, strike.sound.rate * strike.faster(), vec![panned(strike.placed(voice.pan()), gain)])
            }
        };
        let shelves = match f64::from(strike.movement.brightness) {
            0.0 => Vec::new(),
            brightness => vec![shelf(brightness); sides.len()],
        };
        let sounds = !source.channel(0).is_empty();
        let (part, start, stop) = (strike.part, *start, *stop);
        sounds.then_some(Sounding { source, part, start, bent: 0.0, rate, sides, stop, shelves })
    }

    /// Adds what of it lies in a block; answers whether it goes on behind it. With `rates` it is bent: so many times as
    /// fast in each frame of the block.
    fn add_to(&mut self, block: &mut [[f32; 2]], from: u64, rates: &[f64]) -> bool {
        let mut shelves = std::mem::take(&mut self.shelves);
        let mut goes_on = false;
        let begins = self.bent;
        for (channel, sides) in self.sides.clone().into_iter().enumerate() {
            let shelf = shelves.get_mut(channel);
            if rates.is_empty() {
                goes_on = self.add_channel(block, from, self.source.channel(channel), sides, shelf);
            } else {
                self.bent = begins;
                goes_on = self.add_bent(block, from, rates, channel, sides, shelf);
            }
        }
        self.shelves = shelves;
        goes_on
    }

    fn add_bent(
        &mut self,
        block: &mut [[f32; 2]],
        from: u64,
        rates: &[f64],
        channel: usize,
        [left_side, right_side]: [f32; 2],
        mut shelf: Option<&mut DirectForm2Transposed<f64>>,
    ) -> bool {
        let sample = self.source.channel(channel);
        let first = self.start.saturating_sub(from) as usize;
        for (frame, (out, rate)) in block.iter_mut().zip(rates).enumerate().skip(first) {
            let gone = (from + frame as u64 - self.start) as f64 / f64::from(SAMPLE_RATE);
            let fading = 1.0 - ((gone - self.stop) / RELEASE).max(0.0);
            if self.bent + 1.0 >= sample.len() as f64 || fading <= 0.0 {
                return false;
            }
            let value = f64::from(between(sample, self.bent));
            let value = shelf.as_mut().map_or(value, |shelf| shelf.run(value)) * fading;
            out[0] += value as f32 * left_side;
            out[1] += value as f32 * right_side;
            self.bent += self.rate * rate;
        }
        true
    }

    fn add_channel(
        &self,
        block: &mut [[f32; 2]],
        from: u64,
        sample: &[f32],
        [left_side, right_side]: [f32; 2],
        shelf: Option<&mut DirectForm2Transposed<f64>>,
    ) -> bool {
        let first = self.start.saturating_sub(from) as usize;
        let gone = from.saturating_sub(self.start) as usize;
        let rate = f64::from(SAMPLE_RATE);
        // Until its samples end, and until it has died away. (Between frames the last one has none behind it.)
        let last = match self.source {
            Source::Own(_) if self.rate == 1.0 => sample.len(),
            _ => ((sample.len() - 1) as f64 / self.rate).ceil() as usize,
        };
        let dead = if self.stop.is_finite() { ((self.stop + RELEASE) * rate) as usize + 1 } else { last };
        let left = last.min(dead).saturating_sub(gone);
        let length = left.min(block.len().saturating_sub(first));
        let fades = self.stop * rate;
        let steady =
            if fades.is_finite() { (fades.max(0.0) as usize).saturating_sub(gone).min(length) } else { length };
        let begins = first.min(block.len());
        let place = &mut block[begins..];
        let at = |frame: usize| match self.source {
            Source::Own(_) if self.rate == 1.0 => sample.get(gone + frame).copied().unwrap_or(0.0),
            _ => between(sample, (gone + frame) as f64 * self.rate),
        };
        let mut shelf = shelf;
        if let Some(shelf) = &mut shelf {
            for (frame, out) in place[..steady].iter_mut().enumerate() {
                let value = shelf.run(f64::from(at(frame))) as f32;
                out[0] += value * left_side;
                out[1] += value * right_side;
            }
        } else if self.rate == 1.0 {
            for (out, value) in place[..steady].iter_mut().zip(&sample[gone.min(sample.len())..]) {
                out[0] += value * left_side;
                out[1] += value * right_side;
            }
        } else {
            for (frame, out) in place[..steady].iter_mut().enumerate() {
                let value = between(sample, (gone + frame) as f64 * self.rate);
                out[0] += value * left_side;
                out[1] += value * right_side;
            }
        }
        for (frame, out) in place[..length].iter_mut().enumerate().skip(steady) {
            let over = (gone + frame) as f64 / rate - self.stop;
            let fading = if over > 0.0 { 1.0 - over / RELEASE } else { 1.0 };
            let value = match &mut shelf {
                Some(shelf) => shelf.run(f64::from(at(frame))) as f32,
                None => at(frame),
            };
            let value = value * fading.max(0.0) as f32;
            out[0] += value * left_side;
            out[1] += value * right_side;
        }
        left > length
    }
}

/// The sample at a place between two frames.
fn between(sample: &[f32], place: f64) -> f32 {
    let below = place as usize;
    match sample.get(below..below + 2) {
        Some(pair) => pair[0] + (pair[1] - pair[0]) * (place - below as f64) as f32,
        None => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::drum_sound;
    use vivida_core::Note;

    fn mixdown(strikes: Vec<Strike>) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mix = Mixdown::new(strikes);
        mix.write(&mut bytes, |_| true).unwrap();
        assert_eq!(bytes.len() as u64, mix.size());
        bytes
    }

    fn strike(note: u8, seconds: f64, velocity: u8) -> Strike {
        let sound = drum_sound(Note::from_data(note));
        Strike::plain(seconds, 0.1, Velocity::new(velocity).unwrap(), sound)
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
    fn what_is_written_can_be_stopped_and_says_how_far_it_is() {
        let mix = Mixdown::new(vec![strike(36, 0.0, 100), strike(36, 9.0, 100)]);
        let fresh = mix.clone();
        let mut shares = Vec::new();
        mix.write(&mut io::sink(), |share| {
            shares.push(share);
            true
        })
        .unwrap();
        assert!(shares.windows(2).all(|pair| pair[0] < pair[1]) && shares.last() == Some(&1.0), "{shares:?}");
        let mut bytes = Vec::new();
        let error = fresh.write(&mut bytes, |share| share < 0.75).unwrap_err();
        assert!(fresh.peak.get().is_some() && mix.peak.get() == fresh.peak.get(), "the level is looked for once");
        assert_eq!(error.kind(), io::ErrorKind::Interrupted);
        assert!(bytes.len() < 4 * 44_100 * 6);
    }

    #[test]
    fn sounds_go_on_from_block_to_block_as_if_there_were_none() {
        // A crash over many blocks: its steps are no larger at the joins than elsewhere.
        let bytes = mixdown(vec![strike(49, 0.01, 110), strike(46, 0.3, 90), strike(42, 0.5, 60)]);
        let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
        let left: Vec<f64> = reader.samples::<i16>().step_by(2).map(|value| f64::from(value.unwrap())).collect();
        let step = |at: usize| (left[at] - left[at - 1]).abs();
        for join in (BLOCK..left.len() - 200).step_by(BLOCK) {
            let around = (join - 200..join + 200).filter(|at| *at != join).map(step).fold(0.0, f64::max);
            assert!(step(join) <= 1.5 * around + 2.0, "at {join}: {} among {around}", step(join));
        }
    }

    #[test]
    fn what_was_recorded_lies_beside_what_is_played() {
        let own: Vec<f32> = (0..10_000).map(|at| ((at as f32) * 0.05).sin() * 0.2).collect();
        let recorded = |start| Recorded { part: 0, start, sound: Arc::new(vec![own.clone()]) };
        let mix = Mixdown::new(Vec::new()).with_recorded(vec![recorded(3000)]);
        let mut bytes = Vec::new();
        mix.write(&mut bytes, |_| true).unwrap();
        let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
        let left: Vec<i16> = reader.samples::<i16>().step_by(2).map(|value| value.unwrap()).collect();
        assert_eq!(left.len(), 13_000);
        assert!(left[..3000].iter().all(|value| *value == 0));
        assert!(left[3000..].iter().zip(&own).all(|(out, value)| *out == sixteen_bits(*value)));
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
