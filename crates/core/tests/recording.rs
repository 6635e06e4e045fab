//! From what devices sent to hits: clocks that drift, latency, rounds, and how they come into a part.

use proptest::prelude::*;
use vivida_core::*;

const LOOP: f64 = 4.8;

/// A song of 100 bpm in 4/4: two bars last 4.8 s.
fn outline() -> (TempoMap, MetreMap) {
    Outline::plain(8, 100.0, "4/4").maps()
}

/// A device whose clock begins elsewhere and drifts, read every 200 ms with a tremble of some ms.
struct Pads {
    drift: f64,
    latency: f64,
    tremble: f64,
}

impl Pads {
    fn clock(&self, audio: f64) -> f64 {
        77_000.0 + audio * 1000.0 * (1.0 + self.drift / 1e6)
    }

    fn recording(&self, strokes: &[(f64, [u8; 3])], course: Vec<Anchor>, seconds: f64) -> Recording {
        // A plain sequence that fills its range evenly.
        let tremble = |count: usize| self.tremble * ((count as f64 * 0.618_034).fract() - 0.5) / 1000.0;
        Recording {
            devices: vec![Device { name: "pads".into(), latency: Millis(self.latency) }],
            messages: strokes
                .iter()
                .map(|(at, data)| Message {
                    at: self.clock(at + self.latency / 1000.0),
                    device: 0,
                    data: data.to_vec(),
                })
                .collect(),
            clock: (0..(seconds * 5.0) as usize)
                .map(|count| {
                    let audio = count as f64 / 5.0;
                    ClockPair { device: 0, at: self.clock(audio), audio: audio + tremble(count) }
                })
                .collect(),
            course,
            until: Some(seconds),
        }
    }
}

fn rounds_of(count: u32) -> Vec<Anchor> {
    (0..count).map(|round| Anchor { audio: 1.0 + f64::from(round) * LOOP, second: 0.0, tempo: 1.0, round }).collect()
}

fn snare(at: f64, velocity: u8) -> (f64, [u8; 3]) {
    (at, [0x99, 38, velocity])
}

fn kit() -> Kit {
    Kit::general_midi()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Five minutes with a clock that goes wrong by up to 200 ppm and readings that tremble by ± 2 ms: every hit lies
    /// within 1 ms of where it was struck.
    #[test]
    fn a_clock_that_drifts_is_followed(drift in -200.0..200.0f64, latency in -20.0..300.0f64, seed in 0u32..1000) {
        let (tempo, _) = outline();
        let pads = Pads { drift, latency, tremble: 4.0 };
        let strokes: Vec<_> = (0..600u32)
            .map(|count| {
                let wander = f64::from((count * 7919 + seed) % 200) / 1000.0;
                snare(1.05 + f64::from(count) * 0.5 + wander, 20 + (count % 100) as u8)
            })
            .collect();
        let recording = pads.recording(&strokes, rounds_of(64), 305.0);
        prop_assert_eq!(recording.check(), Ok(()));
        let rounds = recording.rounds(&tempo, &kit(), Channel::PERCUSSION);
        let found: Vec<(u32, f64, u8)> = rounds
            .iter()
            .flat_map(|round| round.hits.iter().map(|hit| (round.number, tempo.seconds(hit.tick), hit.velocity.get())))
            .collect();
        prop_assert_eq!(found.len(), strokes.len());
        for ((at, [_, _, velocity]), (round, second, heard)) in strokes.iter().zip(found) {
            let truth = at - 1.0;
            let meant = (truth / LOOP).floor();
            // On the very border of two rounds either is right.
            let along = f64::from(round) * LOOP + second;
            prop_assert!((along - truth).abs() < 0.001, "{along} for {truth}");
            prop_assert!((f64::from(round) - meant).abs() <= 1.0);
            prop_assert_eq!(*velocity, heard);
        }
    }

    /// Whatever comes: nothing fails, all hits lie in the song with a length and a velocity.
    #[test]
    fn any_messages_make_hits_or_nothing(
        messages in proptest::collection::vec(
            (-1e5..1e6f64, 0u16..3, proptest::collection::vec(any::<u8>(), 1..4)), 0..80,
        ),
        course in proptest::collection::vec((-10.0..100.0f64, -5.0..40.0f64, 0.02..50.0f64, 0u32..9), 0..6),
        until in proptest::option::of(-5.0..200.0f64),
    ) {
        let (tempo, metre) = outline();
        let recording = Recording {
            devices: (0..3).map(|name| Device { name: format!("{name}"), latency: Millis(3.0) }).collect(),
            messages: messages.into_iter().map(|(at, device, data)| Message { at, device, data }).collect(),
            clock: (0..20).map(|count| ClockPair { device: count % 2, at: f64::from(count) * 900.0, audio: f64::from(count) }).collect(),
            course: course.into_iter().map(|(audio, second, tempo, round)| Anchor { audio, second, tempo, round }).collect(),
            until,
        };
        prop_assert_eq!(recording.check(), Ok(()));
        let text = serde_json::to_string(&recording).unwrap();
        prop_assert_eq!(&serde_json::from_str::<Recording>(&text).unwrap(), &recording);
        let rounds = recording.rounds(&tempo, &kit(), Channel::PERCUSSION);
        for round in &rounds {
            for hit in &round.hits {
                prop_assert!(hit.tick.0 >= 0.0 && hit.tick.0.is_finite() && hit.length.0 >= 1.0, "{hit:?}");
            }
            round.figures(&kit(), Grid::SIXTEENTHS, &Context::new(&tempo, &metre));
        }
    }
}

#[test]
fn notes_end_pedals_open_hats_and_hands_choke() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let strokes = [
        (1.0, [0x99, 36, 100]),
        (1.1, [0x99, 36, 0]),  // ends the kick
        (1.3, [0xb9, 4, 127]), // the hat is closed
        (1.6, [0x99, 46, 80]),
        (2.0, [0xb9, 4, 0]), // and open
        (2.2, [0x99, 42, 80]),
        (2.5, [0x99, 49, 110]), // a crash …
        (2.55, [0x89, 49, 64]),
        (3.0, [0xa9, 49, 127]), // … that a hand stops
        (3.4, [0x99, 38, 90]),  // rings when it ends
        (3.5, [0x99, 3, 90]),   // the kit does not know it
        (3.55, [0x89, 3, 0]),
    ];
    let rounds = pads.recording(&strokes, rounds_of(1), 4.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    let hits: Vec<(u8, f64)> = rounds[0]
        .hits
        .iter()
        .map(|hit| (hit.note.get(), (tempo.seconds(hit.tick + hit.length) - tempo.seconds(hit.tick)).min(9.0)))
        .collect();
    let near = |place: usize, note: u8, length: f64| {
        assert_eq!(hits[place].0, note);
        assert!((hits[place].1 - length).abs() < 1e-3, "{:?}", hits[place]);
    };
    assert_eq!(hits.len(), 6);
    near(0, 36, 0.1);
    assert_eq!((hits[1].0, hits[2].0), (42, 46));
    near(3, 49, 0.5);
    near(4, 38, 0.6);
    near(5, 3, 0.05);
}

#[test]
fn what_anticipates_the_loop_lies_at_its_end_and_a_count_in_is_no_music() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let strokes =
        [snare(0.4, 90), snare(0.98, 91), snare(1.6, 92), snare(1.0 + LOOP - 0.01, 93), snare(1.0 + LOOP + 0.6, 94)];
    let rounds = pads.recording(&strokes, rounds_of(2), 8.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    let places: Vec<(u32, i64)> = rounds
        .iter()
        .flat_map(|round| {
            round.hits.iter().map(|hit| (round.number, (tempo.seconds(hit.tick) * 1000.0).round() as i64))
        })
        .collect();
    assert_eq!(places, [(0, 4780), (0, 600), (0, 4790), (1, 600)]);
}

#[test]
fn rounds_are_counted_from_the_first_that_was_played() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let strokes = [snare(1.6 + 2.0 * LOOP, 90), snare(1.6 + 4.0 * LOOP, 90)];
    let rounds = pads.recording(&strokes, rounds_of(6), 30.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    assert_eq!(rounds.iter().map(|round| (round.number, round.whole)).collect::<Vec<_>>(), [(0, true), (2, true)]);
}

#[test]
fn no_device_is_forgotten_by_a_later_piece() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let mut whole = pads.recording(&[snare(1.6, 90)], rounds_of(1), 4.0);
    whole.devices.push(Device { name: "more".into(), latency: Millis(1.0) });
    whole.messages[0].device = 1;
    whole.clock.iter_mut().for_each(|pair| pair.device = 1);
    let later = Device { name: "pads".into(), latency: Millis(9.0) };
    whole.append(Recording { devices: vec![later], ..Recording::default() });
    assert_eq!(whole.devices.iter().map(|one| one.latency.0).collect::<Vec<_>>(), [9.0, 1.0]);
    assert_eq!(whole.rounds(&tempo, &kit(), Channel::PERCUSSION)[0].hits.len(), 1);
}

#[test]
fn a_listening_tempo_is_counted() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let course = vec![
        Anchor { audio: 1.0, second: 0.0, tempo: 0.5, round: 0 },
        Anchor { audio: 3.0, second: 1.0, tempo: 2.0, round: 0 },
    ];
    let rounds =
        pads.recording(&[snare(2.0, 90), snare(3.5, 90)], course, 5.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    let seconds: Vec<f64> = rounds[0].hits.iter().map(|hit| tempo.seconds(hit.tick)).collect();
    assert!((seconds[0] - 0.5).abs() < 1e-6 && (seconds[1] - 2.0).abs() < 1e-6, "{seconds:?}");
}

/// Sound breaks off three times, and the audio clock loses up to 0.3 s each time: hits before and after lie
/// where they were struck.
#[test]
fn a_clock_that_jumps_is_followed() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 60.0, latency: 25.0, tremble: 1.0 };
    // By the device's time: so much is lost from then on.
    let lost = |page: f64| {
        [(9.0, 0.05), (20.0, 0.3), (20.9, 0.012)].iter().filter(|(at, _)| page >= *at).map(|one| one.1).sum::<f64>()
    };
    let strokes: Vec<f64> = (0..60).map(|count| 1.2 + 0.45 * f64::from(count)).collect();
    let messages: Vec<_> = strokes.iter().map(|&at| snare(at, 90)).collect();
    let mut recording = pads.recording(&messages, vec![Anchor { audio: 0.0, second: 0.0, tempo: 1.0, round: 0 }], 30.0);
    for pair in &mut recording.clock {
        pair.audio -= lost((pair.at - 77_000.0) / 1000.0);
    }
    let rounds = recording.rounds(&tempo, &kit(), Channel::PERCUSSION);
    assert_eq!(rounds[0].hits.len(), strokes.len());
    let mut wrong = 0;
    for (hit, at) in rounds[0].hits.iter().zip(strokes) {
        let error = (tempo.seconds(hit.tick) - (at - lost(at))).abs();
        // Between two readings nobody knows when it jumped.
        let near = [9.0, 20.0, 20.9].iter().any(|jump| (at - jump).abs() < 0.2);
        if error > 0.001 && !near {
            println!("{at}: {error}");
            wrong += 1;
        }
    }
    assert_eq!(wrong, 0);
}

#[test]
fn the_hit_that_the_song_began_with_lies_at_its_beginning() {
    let (tempo, _) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let rounds = pads.recording(&[snare(0.9995, 90)], rounds_of(3), 20.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    assert_eq!(rounds[0].hits[0].tick, Ticks(0.0));
}

/// Pedals and wheels come with the hits: as stepped lines in the round that sounded, from what held when it began.
#[test]
fn what_a_pedal_sent_is_drawn_in_its_round() {
    let (tempo, metre) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let hat = |at: f64| (at, [0x99, 46, 90u8]);
    let pedal = |at: f64, value: u8| (at, [0xb9, 4, value]);
    // Before the song begins, and in each of two rounds; a bend, and the pressure that stops a cymbal.
    let messages = [
        pedal(0.9, 100),
        hat(1.0),
        pedal(2.2, 20),
        hat(2.2),
        (2.8, [0xe9, 0, 0x60]),
        (3.0, [0xa9, 49, 127]),
        hat(5.9),
        pedal(7.0, 90),
    ];
    let rounds = pads.recording(&messages, rounds_of(2), 10.6).rounds(&tempo, &kit(), Channel::PERCUSSION);
    // A quarter note is 0.6 s: 960 ticks.
    let lane = |round: usize, kind: LaneKind| -> Vec<(f64, f64)> {
        let lane = rounds[round].lanes.iter().find(|lane| lane.kind == kind).expect("a lane");
        lane.ticks().iter().copied().zip(lane.values().iter().copied()).collect()
    };
    assert_eq!(lane(0, LaneKind::PEDAL), [(0.0, 100.0), (1920.0, 20.0)]);
    assert_eq!(lane(0, LaneKind::Bend), [(2880.0, 4096.0)]);
    assert_eq!(lane(1, LaneKind::PEDAL), [(0.0, 20.0), (1920.0, 90.0)]);
    assert_eq!((rounds[0].lanes.len(), rounds[1].lanes.len()), (2, 1));

    let chart = Chart::new(&Part::default(), kit());
    let draw = |laying: &Laying, recipe: &Recipe, of: u32| laying.drawn(recipe, of, &rounds, &chart, &metre);
    let first = draw(&Laying::default(), &Recipe::default(), 0);
    let lines: Vec<&action::LaneLine> = first
        .passes
        .iter()
        .map(|pass| match &pass.action {
            Action::LaneLine(line) => line,
            other => panic!("{other:?}"),
        })
        .collect();
    assert_eq!(lines.len(), 2);
    let points: Vec<(f64, f64)> = lines[0].points.iter().map(|point| (point.bar, point.value)).collect();
    assert_eq!(points, [(1.0, 100.0), (1.5, 20.0)]);
    assert!(lines[0].points.iter().all(|point| point.way == action::LaneWay::Stepped));
    // Another round over it: one line still, anew where that was played. The bend is as it was.
    let second = draw(&Laying::default(), &first, 1);
    assert_eq!(second.passes.len(), 2);
    let Action::LaneLine(line) = &second.passes[0].action else { panic!() };
    assert_eq!(line.points.iter().map(|point| point.value).collect::<Vec<_>>(), [20.0, 90.0]);
    assert_eq!(second.passes[1], first.passes[1]);
    // Only some instruments, only some bars.
    let only = |ids: &[&str]| Laying {
        instruments: ids.iter().map(|id| InstrumentId::new(*id)).collect(),
        ..Laying::default()
    };
    assert_eq!(draw(&only(&["snare"]), &Recipe::default(), 0).passes.len(), 0);
    assert_eq!(draw(&only(&["snare", "open-hat"]), &Recipe::default(), 0).passes.len(), 1);
    let late = Laying { from: Some(Ticks(2000.0)), ..Laying::default() };
    assert_eq!(draw(&late, &Recipe::default(), 0).passes.len(), 1);
}

/// A pedal that trembles for minutes becomes no more points than a row can hold, and stays near what it was.
#[test]
fn a_nervous_pedal_is_thinned_as_it_comes_in() {
    let (tempo, metre) = outline();
    let pads = Pads { drift: 0.0, latency: 0.0, tremble: 0.0 };
    let mut messages = vec![snare(1.0, 90)];
    messages.extend((0..9000).map(|count| {
        let at = 1.0 + f64::from(count) * 0.002;
        (at, [0xb9, 4, (64.0 + 50.0 * (at * 3.0).sin() + f64::from(count * 37 % 5)) as u8])
    }));
    let course = vec![Anchor { audio: 1.0, second: 0.0, tempo: 1.0, round: 0 }];
    let rounds = pads.recording(&messages, course, 19.0).rounds(&tempo, &kit(), Channel::PERCUSSION);
    let lane = &rounds[0].lanes[0];
    assert_eq!(lane.len(), 9000);
    let chart = Chart::new(&Part::default(), kit());
    let recipe = Laying::default().drawn(&Recipe::default(), 0, &rounds, &chart, &metre);
    let Action::LaneLine(line) = &recipe.passes[0].action else { panic!() };
    assert!((200..=1000).contains(&line.points.len()), "{}", line.points.len());
    let held = |bar: f64| line.points.iter().rfind(|point| point.bar <= bar).expect("it has begun").value;
    for (tick, value) in lane.ticks().iter().zip(lane.values()) {
        assert!((held(1.0 + tick / 3840.0) - value).abs() <= 8.0);
    }
}

/// A part of kick and snare on the beats of four bars.
fn beat() -> (Part, Chart) {
    let hit = |(id, (beat, note)): (u32, (u32, u8))| Hit {
        id: HitId::new(id),
        tick: Ticks(960.0 * f64::from(beat)),
        length: Ticks(120.0),
        velocity: Velocity::new(100).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new((0..).zip((0..16).map(|beat| (beat, [36, 38][beat as usize % 2]))).map(hit).collect());
    let chart = Chart::new(&part, kit());
    (part, chart)
}

fn round(number: u32, hits: &[(f64, u8)]) -> Round {
    let draft = |&(tick, note): &(f64, u8)| Draft {
        tick: Ticks(tick),
        length: Ticks(60.0),
        velocity: Velocity::new(77).unwrap(),
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Round { number, hits: hits.iter().map(draft).collect(), lanes: Vec::new(), whole: true }
}

#[test]
fn rounds_lie_over_what_is_there_stand_in_its_place_or_are_takes() {
    let (part, chart) = beat();
    // Hats and a snare, twice.
    let rounds = [round(0, &[(10.5, 42), (975.25, 38)]), round(1, &[(5.0, 42), (960.0, 38), (2880.0, 38)])];
    let count = |part: &Part, note: u8| part.hits().iter().filter(|hit| hit.note.get() == note).count();
    let lay = |laying: Laying| laying.lay(&part, &chart, &rounds, 100);

    let over = lay(Laying::default());
    assert_eq!(over.len(), 1);
    assert_eq!([36, 38, 42].map(|note| count(&over[0].1, note)), [8, 8 + 3, 2]);
    // As played, in real numbers of ticks.
    assert!(over[0].1.hits().iter().any(|hit| hit.tick == Ticks(975.25)));

    // Instead, in bars 1 and 2: the snares of bars 3 and 4 stay.
    let stretch =
        Laying { how: LayingHow::Replace, from: Some(Ticks(0.0)), to: Some(Ticks(7680.0)), ..Laying::default() };
    let replaced = lay(stretch.clone());
    assert_eq!([36, 38, 42].map(|note| count(&replaced[0].1, note)), [8, 4 + 2, 1]);

    // The snare alone: hats that were struck by the way are left out.
    let only = lay(Laying { instruments: vec![InstrumentId::new("snare")], ..stretch.clone() });
    assert_eq!([36, 38, 42].map(|note| count(&only[0].1, note)), [8, 4 + 2, 0]);

    let takes = lay(Laying { how: LayingHow::Takes, ..stretch });
    assert_eq!(takes.iter().map(|take| take.0).collect::<Vec<_>>(), [0, 1]);
    assert_eq!(takes.iter().map(|take| count(&take.1, 38)).collect::<Vec<_>>(), [4 + 1, 4 + 2]);

    // A round that had only begun is none, but where it is asked for.
    let mut begun = rounds.to_vec();
    begun.push(Round { whole: false, ..round(2, &[(12.0, 38)]) });
    let of_begun = |how: LayingHow, rounds: Vec<u32>| {
        Laying { how, rounds, ..Laying::default() }
            .lay(&part, &chart, &begun, 100)
            .iter()
            .map(|one| one.0)
            .collect::<Vec<_>>()
    };
    assert_eq!(of_begun(LayingHow::Replace, vec![]), [1]);
    assert_eq!(of_begun(LayingHow::Takes, vec![]), [0, 1]);
    assert_eq!(of_begun(LayingHow::Takes, vec![2]), [2]);

    let second = Laying { rounds: vec![1], ..Laying::default() };
    assert_eq!(count(&lay(second)[0].1, 42), 1);
    assert!(lay(Laying { instruments: vec![InstrumentId::new("kick")], ..Laying::default() }).is_empty());
    // What was there keeps its ids.
    let ids: Vec<HitId> = over[0].1.hits().iter().map(|hit| hit.id).filter(|id| id.get() < 100).collect();
    assert_eq!(ids.len(), 16);
}

#[test]
fn rounds_are_told_by_their_figures() {
    let (tempo, metre) = outline();
    let context = Context::new(&tempo, &metre);
    let steady = round(0, &[(4.0, 38), (964.0, 38), (1924.0, 38), (2884.0, 38)]);
    let loose = round(1, &[(0.0, 38), (990.0, 38), (1890.0, 38), (2880.0, 38), (3840.0, 38)]);
    let few = round(2, &[(0.0, 38)]);
    let figures: Vec<RoundFigures> =
        [steady, loose, few].iter().map(|round| round.figures(&kit(), Grid::SIXTEENTHS, &context)).collect();
    assert!(figures[0].hits == 4 && figures[0].spread.unwrap().0 < 1e-9);
    assert!((figures[0].offset.unwrap().0 - 2.5).abs() < 1e-6);
    assert!(figures[1].spread.unwrap().0 > 10.0);
    assert_eq!(figures[2].spread, None);
    assert_eq!(RoundFigures::steadiest(&figures), Some(0));
    // A brushed pad is a stray, and spoils no figures.
    let mut brushed = round(3, &[(0.0, 38), (960.0, 38), (1920.0, 38), (2880.0, 38), (2900.0, 38)]);
    brushed.hits[4].velocity = Velocity::new(4).unwrap();
    let brushed = brushed.figures(&kit(), Grid::SIXTEENTHS, &context);
    assert!((brushed.hits, brushed.strays) == (5, 1) && brushed.spread.unwrap().0 < 1e-9);
}

#[test]
fn latency_is_found_by_a_click() {
    let clicks: Vec<f64> = (0..32).map(|beat| 10.0 + f64::from(beat) * 0.6).collect();
    for latency in [-15.0, 0.0, 42.0, 180.0] {
        let stroke = |(count, click): (usize, &f64)| {
            let error = 8.0 * ((count as f64 * 0.618_034).fract() - 0.5);
            click + (latency + error) / 1000.0
        };
        let mut strokes: Vec<f64> = clicks.iter().enumerate().map(stroke).collect();
        // Two that were missed, one twice.
        strokes[5] += 0.2;
        strokes.remove(9);
        strokes.push(strokes[3] + 0.03);
        let found = Latency::of(&strokes, &clicks).expect("there are enough");
        assert!((found.latency.0 - latency).abs() < 2.0, "{found:?} for {latency}");
    }
    assert_eq!(Latency::of(&[1.0, 2.0], &clicks), None);
    let anywhere: Vec<f64> = (0..40).map(|count| 10.0 + (f64::from(count) * 0.618_034).fract() * 19.0).collect();
    assert_eq!(Latency::of(&anywhere, &clicks), None);
}

#[test]
fn strokes_go_through_the_passes_that_need_nothing_else() {
    let (tempo, metre) = outline();
    let context = Context::new(&tempo, &metre);
    let pass =
        |id: u32, aim: Aim, action: serde_json::Value| Pass::new(id, aim, serde_json::from_value(action).unwrap());
    let json = |value: serde_json::Value| value;
    let recipe = Recipe::of(vec![
        pass(1, Aim::at("snare"), json(serde_json::json!({"kind": "contrast", "contrast": 50, "pivot": 80}))),
        pass(2, Aim::everything(), json(serde_json::json!({"kind": "level", "by": 4}))),
        pass(3, Aim::everything(), json(serde_json::json!({"kind": "loosen"}))),
        pass(
            4,
            Aim { bars: vec![BarRange { from: 1, to: 2 }], ..Aim::at("kick") },
            json(serde_json::json!({"kind": "level", "by": -30})),
        ),
    ]);
    let live = Live::of(&kit(), &recipe, Channel::PERCUSSION, &context);
    assert_eq!(live.passes.iter().map(|pass| pass.why_not.is_none()).collect::<Vec<_>>(), [true, true, false, false]);
    let becomes =
        |note: usize, velocity: usize| live.notes[note].map(|table| live.tables[usize::from(table)][velocity]);
    // 80 + (20 − 80) / 2 + 4, and level alone.
    assert_eq!((becomes(38, 20), becomes(36, 20), becomes(36, 127)), (Some(54), Some(24), Some(127)));
    assert_eq!(becomes(3, 20), None);
    assert!(live.tables.iter().all(|table| table.len() == 128 && table.windows(2).all(|pair| pair[0] <= pair[1])));
    let none = Live::of(&kit(), &Recipe::default(), Channel::PERCUSSION, &context);
    assert!(none.tables.is_empty() && none.notes.iter().all(Option::is_none));
}
