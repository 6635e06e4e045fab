//! What lanes do to the sound of a part: volume, expression, pan and bend.

use crate::SAMPLE_RATE;
use serde::Serialize;
use ts_rs::TS;
use vivida_core::{LaneKind, PlayedLane, TempoMap, Ticks};

/// What a lane does to the sound.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Effect {
    /// How loud it is, a factor.
    Level,
    /// Where it stands, −1 (left) to 1 (right).
    Place,
    /// How much higher it is, in cents.
    Pitch,
}

/// How a controller is heard.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct HeardController {
    /// Which.
    pub lane: LaneKind,
    /// What it does.
    pub effect: Effect,
    /// How much, for each of its 128 values.
    pub values: Vec<f64>,
}

/// All controllers that are heard.
pub(crate) fn heard_controllers() -> Vec<HeardController> {
    let heard = |number: u8| {
        let lane = LaneKind::Controller(number);
        let (effect, _) = heard(lane, 0.0, 0.0)?;
        let values = (0..128).filter_map(|value| Some(heard(lane, f64::from(value), 0.0)?.1)).collect();
        Some(HeardController { lane, effect, values })
    };
    [7, 8, 10, 11].into_iter().filter_map(heard).collect()
}

/// How a value of a lane is heard; `full_bend` says how far the bend goes, in cents.
fn heard(lane: LaneKind, value: f64, full_bend: f64) -> Option<(Effect, f64)> {
    Some(match lane {
        LaneKind::Controller(7 | 11) => (Effect::Level, lane.amplitude(value)?),
        LaneKind::Controller(8 | 10) => (Effect::Place, ((value - lane.rest()) / 63.0).clamp(-1.0, 1.0)),
        LaneKind::Bend => (Effect::Pitch, value / 8192.0 * full_bend),
        _ => return None,
    })
}

/// The lanes of a part as they are heard.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Strip {
    levels: Vec<Line>,
    places: Vec<Line>,
    bend: Option<Line>,
}

/// Values from their frames on, each up to the next.
#[derive(Clone, Debug, PartialEq)]
struct Line {
    frames: Vec<u64>,
    values: Vec<f64>,
    /// What holds before the first of them.
    rest: f64,
}

impl Line {
    fn of(lane: &PlayedLane, full_bend: f64, seconds: impl Fn(f64) -> f64) -> Option<(Effect, Line)> {
        let lane = &lane.lane;
        let (effect, mut rest) = heard(lane.kind, lane.kind.rest(), full_bend)?;
        let mut line = Line { frames: Vec::new(), values: Vec::new(), rest };
        for (&tick, &value) in lane.ticks().iter().zip(lane.values()) {
            let (second, (_, value)) = (seconds(tick), heard(lane.kind, value, full_bend)?);
            // What stands before the beginning holds there.
            if second <= 0.0 {
                (rest, line.rest) = (value, value);
            } else if line.values.last().unwrap_or(&rest) != &value {
                line.frames.push((second * f64::from(SAMPLE_RATE)).round() as u64);
                line.values.push(value);
            }
        }
        (!line.values.is_empty() || rest != heard(lane.kind, lane.kind.rest(), full_bend)?.1).then_some((effect, line))
    }

    fn at(&self, frame: u64) -> f64 {
        let behind = self.frames.partition_point(|&one| one <= frame);
        behind.checked_sub(1).map_or(self.rest, |place| self.values[place])
    }
}

impl Strip {
    /// Of a part's lanes, from `start` on. Nothing where none of them is heard.
    pub fn of(lanes: &[PlayedLane], full_bend: f64, tempo: &TempoMap, start: Ticks) -> Option<Strip> {
        let from = tempo.seconds(start);
        let mut strip = Strip::default();
        for lane in lanes {
            match Line::of(lane, full_bend, |tick| tempo.seconds(Ticks(tick)) - from) {
                Some((Effect::Level, line)) => strip.levels.push(line),
                Some((Effect::Place, line)) => strip.places.push(line),
                Some((Effect::Pitch, line)) => strip.bend = Some(line),
                None => {}
            }
        }
        (strip != Strip::default()).then_some(strip)
    }

    /// The least rate that it bends to.
    pub(crate) fn slowest(&self) -> f64 {
        let lines = self.bend.iter().flat_map(|line| line.values.iter().chain([&line.rest]));
        rate(lines.copied().fold(0.0, f64::min))
    }
}

fn rate(cents: f64) -> f64 {
    if cents == 0.0 { 1.0 } else { libm::exp2(cents / 1200.0) }
}

/// Nothing jumps: a change is nearly there after three times as many s.
pub(crate) const GLIDE: f64 = 0.003;

/// A line followed from frame to frame.
struct Follower<'a> {
    line: &'a Line,
    next: usize,
    now: f64,
}

impl<'a> Follower<'a> {
    fn new(line: &'a Line) -> Follower<'a> {
        Follower { line, next: 0, now: line.rest }
    }

    /// Its value for each frame of a block.
    fn follow(&mut self, from: u64, mut each: impl FnMut(usize, f64), count: usize) {
        let step = 1.0 - libm::exp(-1.0 / (GLIDE * f64::from(SAMPLE_RATE)));
        let mut wanted = self.line.at(from);
        self.next = self.line.frames.partition_point(|&one| one <= from);
        for frame in 0..count {
            while self.line.frames.get(self.next).is_some_and(|&at| at <= from + frame as u64) {
                wanted = self.line.values[self.next];
                self.next += 1;
            }
            let off = wanted - self.now;
            self.now = if off.abs() < 1e-9 { wanted } else { self.now + off * step };
            each(frame, self.now);
        }
    }
}

/// A strip at work, block by block.
pub(crate) struct Working<'a> {
    levels: Vec<Follower<'a>>,
    places: Vec<Follower<'a>>,
    bend: Option<Follower<'a>>,
    /// What its part sounds like before it.
    pub block: Vec<[f32; 2]>,
    /// How many times as fast everything is played, for each frame of the block; empty where nothing is bent.
    pub rates: Vec<f64>,
    factors: Vec<f64>,
}

impl<'a> Working<'a> {
    pub fn new(strip: &'a Strip) -> Working<'a> {
        Working {
            levels: strip.levels.iter().map(Follower::new).collect(),
            places: strip.places.iter().map(Follower::new).collect(),
            bend: strip.bend.as_ref().map(Follower::new),
            block: Vec::new(),
            rates: Vec::new(),
            factors: Vec::new(),
        }
    }

    /// Begins a block.
    pub fn begin(&mut self, from: u64, length: usize) {
        self.block.clear();
        self.block.resize(length, [0.0; 2]);
        if let Some(bend) = &mut self.bend {
            self.rates.resize(length, 1.0);
            bend.follow(from, |frame, cents| self.rates[frame] = rate(cents), length);
        }
    }

    /// Adds the block to a mix.
    pub fn add_to(&mut self, mix: &mut [[f32; 2]], from: u64) {
        let length = mix.len();
        for level in &mut self.levels {
            level.follow(
                from,
                |frame, factor| {
                    self.block[frame] = self.block[frame].map(|value| value * factor as f32);
                },
                length,
            );
        }
        if !self.places.is_empty() {
            self.factors.clear();
            self.factors.resize(length, 0.0);
            for place in &mut self.places {
                place.follow(from, |frame, place| self.factors[frame] += place, length);
            }
            let (mut last, mut sides) = (f64::NAN, [1.0f32, 0.0]);
            for (out, place) in self.block.iter_mut().zip(&self.factors) {
                let place = place.clamp(-1.0, 1.0);
                if place != last {
                    let angle = if place <= 0.0 { place + 1.0 } else { place } * std::f64::consts::FRAC_PI_2;
                    let (cos, sin) = (libm::cos(angle) as f32, libm::sin(angle) as f32);
                    // What stays on the far side, and what goes over to the near one.
                    sides = if place <= 0.0 { [sin, cos] } else { [cos, sin] };
                    last = place;
                }
                let [stays, goes] = sides;
                *out = match place <= 0.0 {
                    true => [out[0] + out[1] * goes, out[1] * stays],
                    false => [out[0] * stays, out[1] + out[0] * goes],
                };
            }
        }
        for (out, own) in mix.iter_mut().zip(&self.block) {
            out[0] += own[0];
            out[1] += own[1];
        }
    }
}
