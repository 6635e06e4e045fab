//! Starting points: lists of passes that suit a part, from barely there to loose.

use crate::base::units::{Millis, Percent, Velocity};
use crate::kit::chart::Chart;
use crate::kit::{Family, InstrumentId};
use crate::part::hit::Part;
use crate::perform::sounding::Heard;
use crate::perform::{Context, Performance, PlayedHit};
use crate::read::findings::mishits_of;
use crate::read::report::{Measured, MeasuredInstrument};
use crate::read::touch_with_room::within;
use crate::recipe::action::{
    Action, Drifts, FastHands, Lean, Level, Loosen, NoTwins, Pull, Shape, Spread, Strays, TwinsMove, Vary, Wanders,
};
use crate::recipe::aim::{Aim, Positions};
use crate::recipe::{Pass, Recipe};
use crate::time::grid::Grid;
use crate::time::slots::Slots;
use serde::Serialize;
use ts_rs::TS;

/// A list of passes made for a part, with a line that says what it is like.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct StartingPoint {
    /// What it is called.
    pub name: &'static str,
    /// What it is like.
    pub explains: &'static str,
    /// Its passes; they aim at instruments that the part has.
    pub recipe: Recipe,
}

impl StartingPoint {
    /// What they are called, from barely there to loose.
    pub const NAMES: [&'static str; 6] =
        [MANNERS[0].name, MANNERS[1].name, MANNERS[2].name, MANNERS[3].name, MANNERS[4].name, MANNERS[5].name];
}

struct Manner {
    name: &'static str,
    explains: &'static str,
    /// How far velocities are spread, where they are all alike.
    depth: f64,
    /// Up or down, everything.
    level: f64,
    /// Random velocity where they are not alike.
    vary: f64,
    /// How far timing drifts, as its standard deviation in ms, and how late it is on the whole.
    clock: (f64, f64),
    /// Ms behind, for the snare's backbeat.
    behind: f64,
    /// How far a part that was played is pulled to its grid, in %, in the place of a clock.
    pull: f64,
    /// Softer for each doubling of the speed.
    fast: f64,
    /// The least difference between neighbours of hats, rides and hand percussion.
    twins: f64,
}

const MANNERS: [Manner; 6] = [
    Manner {
        name: "Barely there",
        explains: "Only takes the edge off: small differences, timing almost as it is.",
        depth: 0.3,
        level: 0.0,
        vary: 2.0,
        clock: (3.5, 0.5),
        behind: 0.0,
        pull: 30.0,
        fast: 0.0,
        twins: 1.0,
    },
    Manner {
        name: "Steady hands",
        explains: "A tidy player: clear beats, softer in between, close to the grid.",
        depth: 0.6,
        level: 0.0,
        vary: 3.0,
        clock: (4.0, 0.5),
        behind: 0.0,
        pull: 70.0,
        fast: 6.0,
        twins: 2.0,
    },
    Manner {
        name: "One good take",
        explains: "Somebody sat down and played it: natural spread, a few ms either way.",
        depth: 0.85,
        level: 0.0,
        vary: 4.0,
        clock: (6.0, 1.0),
        behind: 3.0,
        pull: 55.0,
        fast: 8.0,
        twins: 2.0,
    },
    Manner {
        name: "Heavy backbeat",
        explains: "Loud and soft far apart, 2 and 4 hard and well behind.",
        depth: 1.0,
        level: 3.0,
        vary: 4.0,
        clock: (6.0, 1.0),
        behind: 9.0,
        pull: 60.0,
        fast: 8.0,
        twins: 2.0,
    },
    Manner {
        name: "Small room, late",
        explains: "Softer all over, unhurried, everything a little late.",
        depth: 0.9,
        level: -12.0,
        vary: 4.0,
        clock: (8.0, 4.0),
        behind: 6.0,
        pull: 45.0,
        fast: 10.0,
        twins: 2.0,
    },
    Manner {
        name: "Loose shoulders",
        explains: "Wide in touch and time; tidy up what goes too far.",
        depth: 1.2,
        level: 0.0,
        vary: 7.0,
        clock: (11.5, 1.0),
        behind: 5.0,
        pull: 25.0,
        fast: 12.0,
        twins: 3.0,
    },
];

const FAMILIES: [Family; 9] = [
    Family::Hat,
    Family::Snare,
    Family::Kick,
    Family::Tom,
    Family::Ride,
    Family::Crash,
    Family::HandPercussion,
    Family::Tonal,
    Family::Other,
];

/// Where more neighbours than this are identical, an instrument is stiff and is given a shape.
const STIFF: f64 = 0.5;

/// Six lists of passes for a part, from barely there to loose. Instruments whose velocities are all
/// alike are given a shape where their kit has room, whatever velocity they had; those that are alive are only varied.
pub fn starting_points(part: &Part, chart: &Chart, context: &Context<'_>) -> Vec<StartingPoint> {
    let reading = Measured::written(part, chart, context);
    let written = part.hits().iter().map(PlayedHit::as_written).collect();
    let heard = Heard::of(part, chart, context.tempo, &Performance { written, ..Performance::default() });
    let found = Found {
        grid: chart.meant(part, context.metre, context.tempo).grid,
        is_played: reading.all.count > 8 && reading.all.on_grid < 0.5 && reading.all.offset_spread.0 > PLAYED,
        has_mishits: !mishits_of(&heard, chart).is_empty(),
    };
    MANNERS.iter().map(|manner| manner.starting_point(chart, reading, &found, context)).collect()
}

/// Timing that deviates by more than so many ms, and is not on the grid, was played.
const PLAYED: f64 = 5.0;

/// What there is to tidy.
struct Found {
    grid: Grid,
    /// Its timing is a player's: it is pulled together rather than loosened.
    is_played: bool,
    has_mishits: bool,
}

impl Manner {
    fn starting_point(&self, chart: &Chart, reading: &Measured, found: &Found, context: &Context<'_>) -> StartingPoint {
        let mut steps: Vec<(Aim, Action)> = Vec::new();
        if found.has_mishits {
            steps.push((Aim::everything(), Action::Strays(Strays::default())));
        }
        if found.is_played {
            // What is close is left as it was played.
            let pull = Pull { grid: found.grid, strength: Percent(self.pull), forgive: Millis(4.0), ..Pull::default() };
            steps.push((Aim::everything(), Action::Pull(pull)));
        }
        let of = |wanted: &dyn Fn(Family, &MeasuredInstrument) -> bool| -> Vec<InstrumentId> {
            let both = chart.kit.instruments.iter().zip(&reading.instruments);
            let some = both.filter(|(instrument, one)| one.figures.count > 0 && wanted(instrument.family, one));
            some.map(|(instrument, _)| instrument.id.clone()).collect()
        };
        let at = |instruments: Vec<InstrumentId>| Aim { instruments, ..Aim::default() };
        let stiff = |one: &MeasuredInstrument| one.figures.count < 3 || one.figures.identical_neighbours > STIFF;
        for family in FAMILIES {
            // Drums of a family that have the same layers have one pass.
            let mut shapes: Vec<([Velocity; 3], Vec<InstrumentId>)> = Vec::new();
            for id in of(&|of, one| of == family && stiff(one)) {
                let Some((_, instrument)) = chart.kit.find(&id) else { continue };
                let shape = within(instrument, self.depth, self.level < 0.0).map(Velocity::rounded);
                match shapes.iter_mut().find(|(known, _)| *known == shape) {
                    Some((_, ids)) => ids.push(id),
                    None => shapes.push((shape, vec![id])),
                }
            }
            for (handles, instruments) in shapes {
                let shape = Shape::straight(handles.map(|one| f64::from(one.get())));
                let shape = Shape { follow: Percent(75.0), ..shape };
                steps.push((at(instruments), Action::Shape(shape)));
            }
        }
        let mut add = |instruments: Vec<InstrumentId>, action: Action| {
            if !instruments.is_empty() {
                steps.push((at(instruments), action));
            }
        };
        add(of(&|_, one| !stiff(one)), Action::Vary(Vary { by: self.vary, spread: Spread::Bell, ..Vary::default() }));
        let hands = [Family::Hat, Family::Snare, Family::Tom, Family::Ride, Family::HandPercussion];
        if self.fast > 0.0 {
            let fast = FastHands { softer: self.fast, reference: Millis(150.0), climb: 0 };
            add(of(&|family, _| hands.contains(&family)), Action::FastHands(fast));
        }
        if self.level != 0.0 {
            add(of(&|_, one| !stiff(one)), Action::Level(Level { by: self.level }));
        }
        let twins = NoTwins { least: self.twins, moves: TwinsMove::WithinLayer };
        add(of(&|_, _| true), Action::NoTwins(twins));
        let snares = of(&|family, _| family == Family::Snare);
        if let Some(positions) = backbeat(context).filter(|_| self.behind > 0.0 && !snares.is_empty()) {
            let aim = Aim { positions: Some(positions), ..at(snares) };
            steps.push((aim, Action::Lean(Lean { by: Millis(self.behind), ..Lean::default() })));
        }
        if !found.is_played {
            steps.push((Aim::everything(), self.clock()));
        }
        let passes = (1..).zip(steps).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect();
        StartingPoint { name: self.name, explains: self.explains, recipe: Recipe::of(passes) }
    }

    /// A player's clock: a slow drift that all limbs share, and a small error of each hit. At this slowness and
    /// with three tenths of the drift in each hit, 8ths and 16ths have a fluctuation exponent of about 1 and
    /// intervals a lag-1 autocorrelation between −0.35 and −0.1, as drummers have.
    fn clock(&self) -> Action {
        let (drift, late) = self.clock;
        // A bell of so many ms to either side has a third of it as its standard deviation.
        let error = 3.0 * 0.3 * drift;
        let whole = |ms: f64| Millis((2.0 * ms).round() / 2.0);
        Action::Loosen(Loosen {
            early: whole((error - late).max(0.0)),
            late: whole(error + late),
            spread: Spread::Bell,
            wander: Millis(drift),
            wanders: Wanders::Together,
            drifts: Drifts::Natural,
            slowness: 0.9,
            ..Loosen::default()
        })
    }
}

/// The slots that players call the backbeat, where the song's metre has one.
fn backbeat(context: &Context<'_>) -> Option<Positions> {
    let slots = Slots::of(context.metre, 1, Grid::SIXTEENTHS, 1);
    let choice = slots.choices.into_iter().find(|choice| choice.name == "2 and 4" || choice.name == "2")?;
    Some(Positions { grid: Grid::SIXTEENTHS, slots: choice.slots, bars: 1, tolerance: Percent(50.0) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ppq;
    use crate::kit::Kit;
    use crate::perform::drift::tests::fluctuation_exponent;
    use crate::perform::{perform, testing::sixteenths};
    use crate::time::metre::MetreMap;
    use crate::time::tempo::TempoMap;

    fn points(part: &Part) -> Vec<(StartingPoint, Measured)> {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context::new(&tempo, &metre);
        let chart = Chart::new(part, Kit::of_drums(part));
        let points = starting_points(part, &chart, &context);
        let played = |point: StartingPoint| {
            let performance = perform(part, &chart, &point.recipe, &context);
            let reading = Measured::played(part, &chart, &context, &performance);
            (point, reading)
        };
        points.into_iter().map(played).collect()
    }

    #[test]
    fn a_stiff_part_is_loosened_more_and_more() {
        let points = points(&sixteenths(&[100; 128]));
        assert_eq!(points.len(), 6);
        let spreads: Vec<f64> = points.iter().map(|(_, reading)| reading.all.velocity_spread).collect();
        let offsets: Vec<f64> = points.iter().map(|(_, reading)| reading.all.offset_spread.0).collect();
        assert!(spreads[0] > 2.0 && spreads[0] < spreads[1] && spreads[1] < spreads[2] && spreads[2] < spreads[5]);
        assert!(offsets[0] > 0.2 && offsets[0] < offsets[2] && offsets[2] < offsets[5], "{offsets:?}");
        for (point, reading) in &points {
            assert!(reading.all.identical_neighbours < 0.15, "{}: {reading:?}", point.name);
        }
    }

    /// What Vivida's timing looks like beside a drummer's: no white noise.
    #[test]
    fn timing_is_a_players() {
        let lag_1 = |offsets: &[f64]| {
            let intervals: Vec<f64> = offsets.windows(2).map(|two| two[1] - two[0]).collect();
            let square: f64 = intervals.iter().map(|one| one * one).sum();
            intervals.windows(2).map(|two| two[0] * two[1]).sum::<f64>() / square
        };
        for (every, name) in [(1, "16ths"), (2, "8ths")] {
            let part = sixteenths(&[100; 2048]);
            let part = Part::new(part.hits().iter().copied().step_by(every).collect());
            for (point, spread) in points(&part).iter().map(|(point, reading)| (point, reading.all.offset_spread.0)) {
                let loosen = point.recipe.passes.last().unwrap().clone();
                let (mut exponent, mut lag) = (0.0, 0.0);
                for variation in 1..=8 {
                    let ppq = Ppq::new(960).unwrap();
                    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
                    let context = Context { variation, ..Context::new(&tempo, &metre) };
                    let chart = Chart::new(&part, Kit::of_drums(&part));
                    let played = perform(&part, &chart, &Recipe::of(vec![loosen.clone()]), &context);
                    let both = played.written.iter().zip(part.hits()).skip(4);
                    let offsets: Vec<f64> = both.map(|(now, was)| now.tick.0 - was.tick.0).collect();
                    exponent += fluctuation_exponent(&offsets) / 8.0;
                    lag += lag_1(&offsets) / 8.0;
                }
                println!("{}, {name}: {spread:.1} ms, exponent {exponent:.2}, lag 1 {lag:.2}", point.name);
                assert!((3.0..14.0).contains(&spread), "{}: {spread}", point.name);
                assert!((0.7..=1.05).contains(&exponent), "{}: {exponent}", point.name);
                assert!((-0.36..=-0.1).contains(&lag), "{}: {lag}", point.name);
            }
        }
    }

    #[test]
    fn a_part_that_is_alive_keeps_its_pattern() {
        let alive: Vec<u8> = (0..64).map(|k| [110, 50, 80, 60][k % 4] + (k % 3) as u8).collect();
        for (point, reading) in points(&sixteenths(&alive)) {
            let shaped = point.recipe.passes.iter().any(|pass| matches!(pass.action, Action::Shape(_)));
            assert!(!shaped, "{}", point.name);
            assert!(reading.all.hard > 85.0 && reading.all.soft < 65.0, "{}: {:?}", point.name, reading.all);
        }
    }
}
