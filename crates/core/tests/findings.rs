//! Findings: each rule on a part that has it and on one that has not, and that cures cure.

use proptest::collection::vec;
use proptest::prelude::*;
use serde_json::{Value, json};
use vivida_core::*;

const BAR: f64 = 3840.0;

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
    sections: Vec<Section>,
}

impl Song {
    fn new() -> Song {
        let ppq = Ppq::new(960).unwrap();
        let section = |name: &str, from, to| Section { name: name.to_owned(), from, to };
        let sections = vec![section("Verse", 1, 8), section("Chorus", 9, 12)];
        Song { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []), sections }
    }

    fn context(&self) -> Context<'_> {
        Context { sections: &self.sections, ..Context::new(&self.tempo, &self.metre) }
    }

    fn find(&self, part: &Part, recipe: &Recipe) -> Vec<Finding> {
        let chart = Chart::new(part, Kit::of_drums(part));
        let performance = perform(part, &chart, recipe, &self.context());
        findings(part, &chart, &self.context(), &performance, &Thresholds::default())
    }

    fn mended(&self, part: &Part, recipe: &Recipe, all: &[Finding], of: &Finding) -> Vec<Cure> {
        let chart = Chart::new(part, Kit::of_drums(part));
        let rehearsal = Rehearsal::of(part, &chart, recipe, &self.context());
        cures(&rehearsal, recipe, &self.context(), &Thresholds::default(), all, of)
    }
}

/// Drum hits given as (tick, note, velocity).
fn part(hits: impl IntoIterator<Item = (f64, u8, u8)>) -> Part {
    let hit = |(id, (tick, note, velocity)): (u32, (f64, u8, u8))| Hit {
        id: HitId::new(id),
        tick: Ticks(tick),
        length: Ticks(100.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new((0..).zip(hits).map(hit).collect())
}

/// Twelve bars that are alive: hats in 8ths, backbeats, kicks, ghosts; a little off the grid.
fn alive() -> Vec<(f64, u8, u8)> {
    let mut hits = Vec::new();
    let off = |n: u32| f64::from(n * 7919 % 23) - 11.0;
    for bar in 0..12u32 {
        let at =
            |sixteenth: u32| (f64::from(bar) * BAR + f64::from(sixteenth) * 240.0 + off(bar * 16 + sixteenth)).max(0.0);
        let touch = |base: u32, n: u32| (base + (bar * 5 + n * 3) % 9) as u8;
        hits.extend((0..8).map(|n| (at(2 * n), 42, touch(if n % 2 == 0 { 96 } else { 66 }, n))));
        hits.extend([
            (at(4), 38, touch(104, 1)),
            (at(12), 38, touch(102, 2)),
            (at(7), 38, touch(26, 3)),
            (at(9), 38, touch(24, 4)),
        ]);
        hits.extend([(at(0), 36, touch(100, 5)), (at(6), 36, touch(84, 6)), (at(8), 36, touch(96, 7))]);
    }
    hits
}

fn rules(found: &[Finding]) -> Vec<Rule> {
    let mut rules: Vec<Rule> = found.iter().map(|one| one.rule).collect();
    rules.sort();
    rules.dedup();
    rules
}

fn nothing() -> Recipe {
    Recipe::default()
}

#[test]
fn a_part_that_is_alive_has_none() {
    let found = Song::new().find(&part(alive()), &nothing());
    assert!(found.is_empty(), "{found:?}");
}

/// A rule found in a part, by itself, said and cured.
fn found_and_cured(hits: Vec<(f64, u8, u8)>, rule: Rule, said: &str) {
    let (song, part) = (Song::new(), part(hits));
    let all = song.find(&part, &nothing());
    let one = all.iter().find(|one| one.rule == rule).unwrap_or_else(|| panic!("{rule:?} is not among {all:?}"));
    assert!(one.said.contains(said), "{}", one.said);
    let cures = song.mended(&part, &nothing(), &all, one);
    assert!(!cures.is_empty(), "nothing mends {}", one.said);
    for cure in cures {
        let after = Recipe::default().followed_by(&Recipe::of(cure.passes.clone()));
        assert!(after.check().is_ok());
        let now = song.find(&part, &after);
        assert!(!now.iter().any(|now| now.key() == one.key()), "{}: {now:?}", cure.name);
    }
}

fn with(more: impl IntoIterator<Item = (f64, u8, u8)>) -> Vec<(f64, u8, u8)> {
    alive().into_iter().chain(more).collect()
}

#[test]
fn velocities_that_are_all_alike() {
    let flat = |note: u8, velocity: u8| {
        alive().into_iter().map(move |hit| if hit.1 == note { (hit.0, note, velocity) } else { hit })
    };
    found_and_cured(flat(42, 100).collect(), Rule::OneVelocity, "Every closed hat strikes at 100.");
    found_and_cured(flat(38, 127).collect(), Rule::Slammed, "Every snare is struck as hard as it goes.");
    let two =
        |hit: (f64, u8, u8)| if hit.1 == 36 { (hit.0, 36, if hit.0 < 4.0 * BAR { 90 } else { 100 }) } else { hit };
    found_and_cured(
        alive().into_iter().map(two).collect(),
        Rule::IdenticalNeighbours,
        "% of neighbouring kick hits are equally loud",
    );
    let hats = alive().into_iter().map(|hit| if hit.1 == 42 { (hit.0, 42, 80 + hit.2 % 11) } else { hit });
    found_and_cured(hats.collect(), Rule::OneLayer, "stays in one layer");
    let run = (0..9).map(|n| (8.0 * BAR + 1930.0 + f64::from(n) * 120.0, 36, 90));
    found_and_cured(with(run), Rule::MachineGun, "fires 9 equal strokes in a row, bar 9.");
}

#[test]
fn velocities_that_stand_out() {
    found_and_cured(with([(6.0 * BAR + 15.0 * 240.0, 38, 104)]), Rule::LoudGhost, "at 104 among soft ones, bar 7.");
    let rides = (0..12 * 4)
        .map(|n| (f64::from(n) * 960.0 + 7.0, 51, if n >= 32 { 96 + n as u8 % 5 } else { 26 + n as u8 % 5 }));
    found_and_cured(with(rides), Rule::LevelJump, "times as loud in “Chorus” (bars 9 to 12)");
    let fill =
        (0..6).map(|n| (3.0 * BAR + 2400.0 + f64::from(n) * 240.0, [50, 47, 43][n as usize / 2], 124 + n as u8 % 3));
    found_and_cured(with(fill), Rule::LoudFill, "louder throughout than the snare around, bar 4.");
    let blast = (0..32).map(|n| (4.0 * BAR + f64::from(n) * 240.0 + 60.0, 38, 108 + n as u8 % 7));
    found_and_cured(with(blast), Rule::Dense, "strokes a second");
}

#[test]
fn timing() {
    let straight = alive().into_iter().map(|hit| ((hit.0 / 240.0).round() * 240.0, hit.1, hit.2));
    found_and_cured(straight.collect(), Rule::OnGrid, "Everything sits exactly on straight 16ths.");
    let kicks = |(n, hit): (usize, (f64, u8, u8))| {
        if hit.1 == 36 {
            ((hit.0 + [70.0, -60.0, 85.0, -25.0, 35.0, -80.0, 10.0][n % 7]).max(0.0), 36, hit.2)
        } else {
            hit
        }
    };
    let ragged = alive().into_iter().enumerate().map(kicks);
    found_and_cured(ragged.collect(), Rule::Ragged, "as loose as the others");
}

#[test]
fn what_nobody_could_play_or_meant() {
    let at = 5.0 * BAR + 960.0;
    found_and_cured(
        with([(at - 5.0, 49, 112), (at + 6.0, 51, 90)]),
        Rule::TooManyLimbs,
        "need a third hand (closed hat, snare, ride and crash at once), bar 6.",
    );
    let feet = (0..8).map(|n| (2.0 * BAR + 2900.0 + f64::from(n) * 80.0, 36, 90 + n as u8));
    found_and_cured(with(feet), Rule::LimbTooFast, "too fast for the feet, bar 3");
    let at = 9.0 * BAR;
    let feet = (0..6).map(|n| (at + 3.0 + f64::from(n) * 140.0, 36, 90 + n as u8));
    let crash = alive().into_iter().chain(feet).chain([(at + 285.0, 49, 110), (at + 280.0, 42, 88)]);
    found_and_cured(crash.collect(), Rule::FootlessHat, "while both feet are on the kick, bar 10.");
    found_and_cured(with([(7.0 * BAR + 2000.0, 47, 6), (BAR + 500.0, 47, 7)]), Rule::Stray, "2 hits are too soft");
    found_and_cured(with([(4.0 * BAR + 990.0, 38, 30)]), Rule::DoubleTrigger, "1 double trigger, bar 5.");
    let shaken =
        (1..5u32).map(|bar| (f64::from(bar) * BAR + 960.0 + f64::from((bar * 16 + 4) * 7919 % 23) - 7.0, 50, 14));
    found_and_cured(with(shaken), Rule::Crosstalk, "from the snare onto the high tom");
}

#[test]
fn notes_that_no_kit_knows_are_said_to_be_silent() {
    let song = Song::new();
    let some = with((0..4).map(|n| (f64::from(n) * BAR + 100.0, 110, 90 + n as u8)));
    let part = part(some);
    let chart = Chart::new(&part, Kit::general_midi().with_unknown(&part));
    let performance = perform(&part, &chart, &nothing(), &song.context());
    let all = findings(&part, &chart, &song.context(), &performance, &Thresholds::default());
    let silent = all.iter().find(|one| one.rule == Rule::Silent).expect("it is said");
    assert!(silent.said.contains("note 110") && silent.count == 4, "{}", silent.said);
}

#[test]
fn thresholds_are_a_persons_own_and_checked() {
    let song = Song::new();
    let part = part(alive());
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let performance = perform(&part, &chart, &nothing(), &song.context());
    let strict = Thresholds { travel: 280.0, hand: 280.0, ..Thresholds::default() };
    let found = findings(&part, &chart, &song.context(), &performance, &strict);
    assert!(rules(&found).contains(&Rule::LimbTooFast), "{found:?}");
    assert!(strict.check().is_ok());
    let wrong: Thresholds = serde_json::from_value(json!({"alike": 7})).unwrap();
    assert_eq!(wrong.check().unwrap_err().0, "alike");
}

fn some_hits() -> impl Strategy<Value = Vec<(f64, u8, u8)>> {
    let notes = [36u8, 38, 42, 44, 46, 49, 50, 51, 99];
    vec((0..16u32 * 12, 0..30u32, 0..9usize, 1..=127u8, any::<bool>()), 0..160).prop_map(move |hits| {
        let one = |(sixteenth, off, note, velocity, flat): (u32, u32, usize, u8, bool)| {
            (f64::from(sixteenth) * 240.0 + f64::from(off), notes[note], if flat { 100 } else { velocity })
        };
        hits.into_iter().map(one).collect()
    })
}

fn some_recipe() -> impl Strategy<Value = Recipe> {
    let actions = prop_oneof![
        (-40.0..40.0).prop_map(|by| json!({"kind": "level", "by": by})),
        Just(json!({"kind": "loosen"})),
        Just(json!({"kind": "set", "to": 100})),
        Just(json!({"kind": "ghosts", "free": "none"})),
        Just(json!({"kind": "flam"})),
        Just(json!({"kind": "pull", "strength": 100})),
        (1.0..90.0).prop_map(|sounds| json!({"kind": "odds", "sounds": sounds})),
    ];
    vec(actions, 0..4).prop_map(|actions| {
        let passes: Vec<Value> =
            actions.into_iter().enumerate().map(|(n, action)| json!({"id": n + 1, "action": action})).collect();
        Recipe::from_value(json!({ "passes": passes })).unwrap()
    })
}

proptest! {
    #[test]
    fn cures_cure_and_bring_nothing_worse(hits in some_hits(), recipe in some_recipe()) {
        let (song, part) = (Song::new(), part(hits));
        let all = song.find(&part, &recipe);
        prop_assert_eq!(&all, &song.find(&part, &recipe));
        prop_assert!(all.windows(2).all(|two| two[0].weight >= two[1].weight));
        for one in &all {
            prop_assert!((0.0..=1.0).contains(&one.weight) && one.said.ends_with('.'), "{:?}", one);
            prop_assert!(all.iter().filter(|other| other.key() == one.key()).count() == 1);
            for cure in song.mended(&part, &recipe, &all, one) {
                let after = recipe.followed_by(&Recipe::of(cure.passes.clone()));
                prop_assert!(after.check().is_ok());
                let now = song.find(&part, &after);
                prop_assert!(!now.iter().any(|now| now.key() == one.key()), "{} stays after {}", one.said, cure.name);
                for new in now.iter().filter(|new| all.iter().all(|old| old.key() != new.key())) {
                    prop_assert!(new.weight <= one.weight, "{} brought {}", cure.name, new.said);
                }
            }
        }
    }
}

/// Parts that nobody meant: one hit, all at one tick, a million bars apart, odd metres, tempos at the ends.
#[test]
fn odd_parts_are_read_without_harm() {
    let ppq = Ppq::new(960).unwrap();
    let many = (0..4000u32).map(|n| (0.0, [36, 38, 42, 49][n as usize % 4], (n % 127) as u8 + 1));
    let parts = [
        part([]),
        part([(0.0, 38, 1)]),
        part(many),
        part((0..300u32).map(|n| (f64::from(n) * 4e6, 42, 100))),
        part((0..300u32).map(|n| (f64::from(n), 38, 127))),
        part((0..128u32).map(|n| (f64::from(n) * 10.0, n as u8, 64))),
    ];
    for bpm in [20, 300] {
        let tempo = TempoMap::new(ppq, [(Ticks(0.0), 60_000_000 / bpm)]);
        let metre = MetreMap::new(ppq, [(Ticks(0.0), Metre::new(15, 16).unwrap())]);
        let context = Context::new(&tempo, &metre);
        for part in &parts {
            for kit in [Kit::of_drums(part), Kit::of_tones("Bass", part), Kit::general_midi()] {
                let chart = Chart::new(part, kit);
                let performance = perform(part, &chart, &nothing(), &context);
                let all = findings(part, &chart, &context, &performance, &Thresholds::default());
                for one in &all {
                    assert!(
                        one.weight.is_finite() && (0.0..=1.0).contains(&one.weight) && !one.said.contains("NaN"),
                        "{one:?}"
                    );
                    let rehearsal = Rehearsal::of(part, &chart, &nothing(), &context);
                    cures(&rehearsal, &nothing(), &context, &Thresholds::default(), &all, one);
                }
                let study = Study::of(part, &chart, &context, &performance);
                assert!(
                    study.apart(&study).iter().all(|one| one.velocity == 0.0 && one.timing.is_none_or(|ms| ms == 0.0))
                );
            }
        }
    }
}
