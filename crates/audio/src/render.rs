//! Slices of a clip played at other times and levels.

use crate::RATE;
use crate::clip::Clip;
use crate::frames::Frames;
use std::ops::Range;

/// A slice as it is to be played: frames of the clip, from an onset to the next one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    /// The first frame of the clip.
    pub from: usize,
    /// The frame behind its last.
    pub to: usize,
    /// Where its onset sounds, in frames of what is rendered.
    pub at: f64,
    /// How much louder than it was recorded: 1 is as it was.
    pub gain: f32,
}

/// A slice that comes in the midst of another one fades in before its onset for so long: what it was recorded over
/// comes with it, and an onset that was found a little late keeps its attack.
const FADE: usize = 3 * RATE as usize / 1000;
/// Slices that would stand so few frames from where the one before them goes on by itself are not parted from it.
const NEAR: f64 = 8.0;
/// What is prolonged is made of so much of a slice's end.
const TAIL: usize = 90 * RATE as usize / 1000;
/// In nepers a frame: what is prolonged dies away at least so fast, 60 dB in 1.5 s.
const SLOWEST_DECAY: f64 = 6.9 / (1.5 * RATE as f64);
/// And so long at most.
const LONGEST_TAIL: usize = 3 * RATE as usize;

/// Slices in order that go on one from the other, as they were recorded.
#[derive(Clone, Debug)]
struct Run {
    /// In frames of what is rendered.
    at: i64,
    /// Frames of the clip, one stretch behind the other.
    stretches: Vec<Range<usize>>,
    gain: f32,
    /// When the next run begins.
    until: Option<i64>,
    /// The fade at its beginning and the one at the next run's.
    fade: usize,
    next_fade: usize,
}

/// Slices put in order, and joined where nothing moved.
///
/// Where a gap opens, a slice goes on with its own end, read back and forth and dying away as it did; where
/// slices meet they cross-fade just before the later one's onset. Slices that follow one another as in the clip, at one
/// level, are copied: with nothing moved the result is the clip, sample for sample.
#[derive(Clone, Debug, Default)]
pub struct Arranged {
    runs: Vec<Run>,
}

impl Arranged {
    /// Of slices in any order. Behind `loops.end` the clip goes on at `loops.start`.
    pub fn new(slices: &[Placed], loops: Range<usize>) -> Arranged {
        let mut slices: Vec<Placed> = slices.iter().copied().filter(|one| one.to > one.from).collect();
        slices.sort_by(|a, b| a.at.total_cmp(&b.at));
        let mut runs: Vec<Run> = Vec::new();
        for slice in slices {
            if let Some(run) = runs.last_mut() {
                let end = run.stretches.last().map_or(0, |last| last.end);
                let goes_on = end == slice.from || end == loops.end && slice.from == loops.start;
                let due = run.at + run.frames() as i64;
                if goes_on && run.gain == slice.gain && (slice.at - due as f64).abs() <= NEAR {
                    match run.stretches.last_mut() {
                        Some(last) if last.end == slice.from => last.end = slice.to,
                        _ => run.stretches.push(slice.from..slice.to),
                    }
                    continue;
                }
            }
            let at = slice.at.round() as i64;
            // Of two at one moment the later one of the clip sounds.
            if runs.last().is_some_and(|last| last.at == at) {
                runs.pop();
            }
            let stretches = std::iter::once(slice.from..slice.to).collect();
            runs.push(Run { at, stretches, gain: slice.gain, until: None, fade: 0, next_fade: 0 });
        }
        for place in 1..runs.len() {
            let at = runs[place].at;
            let room = (at - runs[place - 1].at) as usize / 2;
            let fade = FADE.min(room).min(runs[place].stretches[0].start);
            runs[place].fade = fade;
            runs[place - 1].until = Some(at);
            runs[place - 1].next_fade = fade;
        }
        if let Some(first) = runs.first_mut() {
            first.fade = FADE.min(first.stretches[0].start).min(first.at.max(0) as usize);
        }
        Arranged { runs }
    }

    /// Renders some frames.
    pub fn render(&self, clip: &impl Frames, frames: Range<i64>) -> Clip {
        let length = (frames.end - frames.start).max(0) as usize;
        let mut out = Clip::silence(clip.count().max(1), length);
        let first = self.runs.partition_point(|run| run.until.is_some_and(|until| until < frames.start));
        for run in &self.runs[first..] {
            if run.at - run.fade as i64 >= frames.end {
                break;
            }
            run.add_to(&mut out, clip, frames.start);
        }
        out
    }
}

/// Plays slices; see [`Arranged`].
pub fn render(clip: &impl Frames, slices: &[Placed], loops: Range<usize>, frames: usize) -> Clip {
    Arranged::new(slices, loops).render(clip, 0..frames as i64)
}

/// From 0 to 1 without a corner.
fn rise(share: f64) -> f32 {
    (0.5 - 0.5 * libm::cos(std::f64::consts::PI * share)) as f32
}

impl Run {
    fn frames(&self) -> usize {
        self.stretches.iter().map(|one| one.len()).sum()
    }

    /// Adds what of it lies in what is rendered from a frame on.
    fn add_to(&self, out: &mut Clip, clip: &impl Frames, from: i64) {
        if self.gain == 0.0 {
            return;
        }
        let end = from + out.frames() as i64;
        let fade = self.fade as i64;
        let own = self.frames();
        let fades_from = self.until.map(|until| until - self.next_fade as i64);
        // What is to be prolonged stops short of the next attack, which begins a little before its onset.
        let last = self.stretches[self.stretches.len() - 1].clone();
        let prolonged = self.until.is_none_or(|until| until > self.at + own as i64);
        let straight = if prolonged && self.until.is_some() { own - FADE.min(last.len() / 4) } else { own };
        let stop = match self.until {
            Some(until) => until,
            None => self.at + (straight + LONGEST_TAIL) as i64,
        };
        let window = |t: i64| -> f32 {
            if t < self.at {
                rise((t - self.at + fade) as f64 / (fade + 1) as f64)
            } else {
                match fades_from {
                    Some(begin) if t >= begin => 1.0 - rise((t - begin) as f64 / (self.next_fade + 1) as f64),
                    _ => 1.0,
                }
            }
        };
        // Before its onset, what it was recorded over.
        let ahead = (self.at - fade).max(from)..self.at.min(end);
        let first = self.stretches[0].start;
        let place = |t: i64| first - (self.at - t) as usize;
        if ahead.start < ahead.end {
            let piece = clip.part(place(ahead.start), place(ahead.end - 1) + 1);
            for (channel, source) in out.channels_mut().iter_mut().zip(piece.channels()) {
                for (t, value) in ahead.clone().zip(source) {
                    channel[(t - from) as usize] += value * window(t) * self.gain;
                }
            }
        }
        // As it was recorded.
        let mut begins = self.at;
        let mut left = straight;
        for stretch in &self.stretches {
            let frames = stretch.len().min(left);
            left -= frames;
            let span = begins.max(from)..(begins + frames as i64).min(stop).min(end);
            let steady = span.start..span.end.min(fades_from.unwrap_or(i64::MAX)).max(span.start);
            if span.start < span.end {
                let place = |t: i64| stretch.start + (t - begins) as usize;
                // What a file does not have is silent.
                let piece = clip.part(place(span.start), place(span.end - 1) + 1);
                for (channel, source) in out.channels_mut().iter_mut().zip(piece.channels()) {
                    let (level, fading) = source.split_at(source.len().min((steady.end - steady.start) as usize));
                    let into = &mut channel[(steady.start - from) as usize..];
                    for (out, value) in into.iter_mut().zip(level) {
                        *out += value * self.gain;
                    }
                    for (t, value) in (steady.end..span.end).zip(fading) {
                        channel[(t - from) as usize] += value * window(t) * self.gain;
                    }
                }
            }
            begins += frames as i64;
        }
        if prolonged {
            self.prolong(
                out,
                clip,
                from,
                self.at + straight as i64..stop.min(end),
                last.end - (own - straight),
                window,
            );
        }
    }

    /// Goes on behind `end`, a frame of the clip, with what lies before it.
    fn prolong(
        &self,
        out: &mut Clip,
        clip: &impl Frames,
        from: i64,
        span: Range<i64>,
        end: usize,
        window: impl Fn(i64) -> f32,
    ) {
        let last = &self.stretches[self.stretches.len() - 1];
        let tail = TAIL.min((end - last.start) / 2).max(1);
        let within = span.start.max(from)..span.end;
        if within.start >= within.end {
            return;
        }
        let piece = clip.part(end - tail, end);
        // What a file does not have is silent.
        if piece.frames() < tail {
            return;
        }
        let decay = decay(&piece);
        for t in within {
            let gone = (t - span.start) as usize;
            // Back and forth.
            let turn = gone % (2 * tail);
            let back = if turn < tail { turn + 1 } else { 2 * tail - turn };
            let level = libm::exp(-decay * (gone + back) as f64) as f32;
            if level < 1e-4 {
                break;
            }
            let level = level * window(t) * self.gain;
            for (channel, source) in out.channels_mut().iter_mut().zip(piece.channels()) {
                channel[(t - from) as usize] += source[tail - back] * level;
            }
        }
    }
}

/// How fast a clip dies away, in nepers a frame.
fn decay(clip: &Clip) -> f64 {
    let half = clip.frames() / 2;
    let energy = |range: Range<usize>| -> f64 {
        let squares =
            |channel: &Vec<f32>| channel[range.clone()].iter().map(|value| f64::from(value * value)).sum::<f64>();
        clip.channels().iter().map(squares).sum::<f64>() + 1e-12
    };
    if half < 64 {
        return 4.0 * SLOWEST_DECAY;
    }
    let ratio = energy(0..half) / energy(half..2 * half);
    (libm::log(ratio) / 2.0 / half as f64).clamp(SLOWEST_DECAY, 40.0 * SLOWEST_DECAY)
}
