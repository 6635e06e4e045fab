//! Performing worked by hand: aims, order, collisions, reports.

use vivida_core::action::{Contrast, Lean, Level, Loosen, Shape};
use vivida_core::*;

const HAT: u8 = 42;
const SNARE: u8 = 38;
const KICK: u8 = 36;

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
    hits: Vec<Hit>,
}

impl Song {
    /// 120 bpm, 4/4, 960 ppq.
    fn new() -> Song {
        let ppq = Ppq::new(960).unwrap();
        Song { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []), hits: Vec::new() }
    }

    fn hit(mut self, tick: u32, length: u32, note: u8, velocity: u8) -> Song {
        self.hits.push(Hit {
            id: HitId::new(self.hits.len() as u32),
            tick: Ticks(f64::from(tick)),
            length: Ticks(f64::from(length)),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        });
        self
    }

    fn play(&self, passes: impl IntoIterator<Item = (Aim, Action)>) -> Performance {
        self.play_from(passes, Ticks(0.0))
    }

    fn play_from(&self, passes: impl IntoIterator<Item = (Aim, Action)>, start: Ticks) -> Performance {
        let part = Part::new(self.hits.clone());
        let passes = (1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect();
        let context = Context { start, ..Context::new(&self.tempo, &self.metre) };
        perform(&part, &Chart::new(&part, Kit::of_drums(&part)), &Recipe::of(passes), &context)
    }
}

fn lean(ms: f64) -> Action {
    Action::Lean(Lean { by: Millis(ms), ..Lean::default() })
}

fn level(by: f64) -> Action {
    Action::Level(Level { by })
}

fn bars(from: u32, to: u32) -> Aim {
    Aim { bars: vec![BarRange { from, to }], ..Aim::default() }
}

fn ticks(performance: &Performance) -> Vec<f64> {
    performance.written.iter().map(|hit| hit.tick.0).collect()
}

fn lengths(performance: &Performance) -> Vec<f64> {
    performance.written.iter().map(|hit| hit.length.0).collect()
}

fn velocities(performance: &Performance) -> Vec<u8> {
    performance.written.iter().map(|hit| hit.velocity.get()).collect()
}

#[test]
fn instruments_and_bars_both_have_to_agree() {
    let song =
        Song::new().hit(0, 10, KICK, 60).hit(960, 10, SNARE, 60).hit(3840, 10, KICK, 60).hit(4800, 10, SNARE, 60);
    let aim = Aim { instruments: vec![InstrumentId::new("snare")], ..bars(2, 2) };
    assert_eq!(velocities(&song.play([(aim, level(20.0))])), [60, 60, 60, 80]);
    assert_eq!(velocities(&song.play([(bars(1, 1), level(20.0))])), [80, 80, 60, 60]);
    assert_eq!(velocities(&song.play([(Aim::at("ride-1"), level(20.0))])), [60; 4]);
    let two = Aim { bars: vec![BarRange { from: 2, to: 2 }, BarRange { from: 1, to: 1 }], ..Aim::default() };
    assert_eq!(velocities(&song.play([(two, level(20.0))])), [80; 4]);
    assert_eq!(velocities(&song.play([(bars(9, 99), level(20.0))])), [60; 4]);
}

#[test]
fn positions_are_those_of_the_written_hit() {
    // The first pass moves the hit out of bar 1; the second still finds it there.
    let song = Song::new().hit(3830, 10, SNARE, 60);
    let played = song.play([(bars(1, 1), lean(50.0)), (bars(1, 1), level(10.0)), (bars(2, 2), level(30.0))]);
    assert_eq!((ticks(&played), velocities(&played)), (vec![3926.0], vec![70]));
}

#[test]
fn velocities_are_those_that_enter_the_pass_and_are_rounded_once() {
    let song = Song::new().hit(0, 10, HAT, 60).hit(240, 10, HAT, 61);
    // 60 → 30.15 and 61 → 30.65 under way: rounding in between would lose the difference.
    let half = |pivot| {
        Action::Contrast(Contrast { contrast: Percent(50.0), pivot: Velocity::new(pivot), ..Contrast::default() })
    };
    let double = |pivot| {
        Action::Contrast(Contrast { contrast: Percent(200.0), pivot: Velocity::new(pivot), ..Contrast::default() })
    };
    let played = song.play([(Aim::everything(), half(1)), (Aim::everything(), double(1))]);
    assert_eq!(velocities(&played), [60, 61]);
    // Out of range under way is no loss either.
    let played = song.play([(Aim::everything(), level(100.0)), (Aim::everything(), level(-100.0))]);
    assert_eq!(velocities(&played), [60, 61]);
}

#[test]
fn the_order_of_passes_counts() {
    let song = Song::new().hit(0, 10, HAT, 40).hit(240, 10, HAT, 80);
    let flat = (Aim::everything(), Action::Contrast(Contrast { contrast: Percent(0.0), ..Contrast::default() }));
    let first_bar_up = (Aim { instruments: vec![InstrumentId::new("closed-hat")], ..Aim::default() }, level(10.0));
    assert_eq!(velocities(&song.play([flat.clone(), first_bar_up.clone()])), [70, 70]);
    let stretch = (
        Aim::everything(),
        Action::Contrast(Contrast { contrast: Percent(200.0), pivot: Velocity::new(40), ..Contrast::default() }),
    );
    assert_eq!(velocities(&song.play([stretch.clone(), first_bar_up.clone()])), [50, 127]);
    assert_eq!(velocities(&song.play([first_bar_up, stretch])), [60, 127]);
}

#[test]
fn a_moved_hit_stops_short_of_one_that_was_not_moved() {
    // Two bars' downbeats are far; the snares at 3800 and 3840 are near. Only bar 1 leans late.
    let song = Song::new().hit(3800, 30, SNARE, 60).hit(3840, 30, SNARE, 60);
    let played = song.play([(bars(1, 1), lean(100.0))]);
    assert_eq!(ticks(&played), [3839.0, 3840.0], "one tick before the hit that stays");
    assert_eq!(lengths(&played), [1.0, 30.0], "and cut there");
    // Early from behind: it stops one tick after.
    let played = song.play([(bars(2, 2), lean(-100.0))]);
    assert_eq!(ticks(&played), [3800.0, 3801.0]);
    assert_eq!(lengths(&played), [1.0, 30.0]);
    // Other notes are no obstacle.
    let mixed = Song::new().hit(3800, 30, SNARE, 60).hit(3840, 30, KICK, 60);
    assert_eq!(ticks(&mixed.play([(bars(1, 1), lean(100.0))])), [3992.0, 3840.0]);
}

#[test]
fn lengths_are_cut_only_where_something_moved() {
    // Written overlapping: 100 long, the next after 60.
    let song =
        Song::new().hit(0, 100, SNARE, 60).hit(60, 100, SNARE, 60).hit(3840, 100, SNARE, 60).hit(3900, 50, SNARE, 60);
    assert_eq!(lengths(&song.play([(bars(2, 2), lean(1.0))])), [100.0, 100.0, 60.0, 50.0]);
    assert_eq!(lengths(&song.play([(Aim::everything(), level(5.0))])), [100.0, 100.0, 100.0, 50.0]);
}

#[test]
fn hits_before_the_start_wait_there_unless_a_bar_leads_in() {
    let song = Song::new().hit(0, 10, KICK, 60).hit(5, 10, KICK, 60).hit(0, 10, SNARE, 60);
    assert_eq!(ticks(&song.play([(Aim::everything(), lean(-20.0))])), [0.0, 0.0, 1.0], "in order, one tick apart");
    let early = song.play_from([(Aim::everything(), lean(-20.0))], Ticks(-3840.0));
    assert_eq!(ticks(&early), [-38.0, -38.0, -33.0]);
}

#[test]
fn a_report_says_what_a_pass_did() {
    let song = Song::new().hit(0, 10, KICK, 60).hit(960, 10, SNARE, 60).hit(1920, 10, KICK, 60);
    let played = song.play([
        (Aim::at("kick"), level(-9.0)),
        (Aim::at("snare"), lean(10.0)),
        (Aim::at("ride-1"), lean(10.0)),
        (Aim::everything(), level(0.0)),
    ]);
    let [softer, later, nobody, nothing] = &played.passes[..] else { panic!("four passes, four reports") };
    assert_eq!((softer.aimed, softer.touched, softer.largest_change, softer.mean_change), (2, 2, 9.0, 9.0));
    assert_eq!((softer.largest_move, later.largest_change), (Millis(0.0), 0.0));
    assert!((later.largest_move.0 - 10.0).abs() < 1e-9 && (later.mean_move.0 - 10.0).abs() < 1e-9);
    assert_eq!((nobody.aimed, nobody.touched), (0, 0));
    assert_eq!((nothing.aimed, nothing.touched), (3, 0));
}

#[test]
fn shapes_are_taken_instrument_by_instrument() {
    let mut song = Song::new();
    for step in 0..64 {
        song = song.hit(step * 240, 10, HAT, 100);
        if step % 4 == 0 {
            song = song.hit(step * 240, 10, KICK, 50);
        }
    }
    let played = song.play([(Aim::everything(), Action::Shape(Shape::default()))]);
    for note in [HAT, KICK] {
        let mut of_note: Vec<u8> =
            played.written.iter().filter(|hit| hit.note.get() == note).map(|hit| hit.velocity.get()).collect();
        of_note.sort_unstable();
        let tenth = of_note.len() / 10;
        assert!((40..56).contains(&of_note[tenth]), "soft of {note}: {}", of_note[tenth]);
        assert!((66..78).contains(&of_note[of_note.len() / 2]), "typical of {note}");
        assert!((95..112).contains(&of_note[of_note.len() - 1 - tenth]), "hard of {note}");
    }
}

#[test]
fn more_of_a_shape_is_more_of_the_way() {
    let mut song = Song::new();
    for step in 0..32 {
        song = song.hit(step * 240, 10, HAT, 100);
    }
    let at =
        |amount| song.play([(Aim::everything(), Action::Shape(Shape { amount: Percent(amount), ..Shape::default() }))]);
    let (half, whole) = (at(50.0), at(100.0));
    for (half, whole) in half.written.iter().zip(&whole.written) {
        let (half, whole) = (f64::from(half.velocity.get()), f64::from(whole.velocity.get()));
        assert!((half - (100.0 + whole) / 2.0).abs() <= 1.0, "{half} on the way to {whole}");
    }
}

#[test]
fn another_variation_is_another_performance_of_the_same_spread() {
    let mut song = Song::new();
    for step in 0..400 {
        song = song.hit(1000 + step * 240, 10, HAT, 100);
    }
    let part = Part::new(song.hits.clone());
    let loosen = |fresh| Pass { fresh, ..Pass::new(1, Aim::everything(), Action::Loosen(Loosen::default())) };
    let moves_of = |fresh, variation, round| -> Vec<f64> {
        let recipe = Recipe::of(vec![loosen(fresh)]);
        let context = Context { variation, round, ..Context::new(&song.tempo, &song.metre) };
        let played = perform(&part, &Chart::new(&part, Kit::of_drums(&part)), &recipe, &context);
        played.written.iter().zip(part.hits()).map(|(now, was)| now.tick.0 - was.tick.0).collect()
    };
    let moves = |variation, round| moves_of(false, variation, round);
    let mean = |moves: &[f64]| moves.iter().sum::<f64>() / moves.len() as f64;
    assert_ne!(moves(1, 0), moves(2, 0));
    assert_eq!(moves(1, 0), moves(1, 1), "the same in every round");
    assert_ne!(moves_of(true, 1, 0), moves_of(true, 1, 1), "fresh each round");
    assert_eq!(moves(3, 2), moves(3, 2));
    // Between 4 early and 8 late the middle is 2 ms late: 3.84 ticks.
    for variation in 1..5 {
        assert!((mean(&moves(variation, 0)) - 3.84).abs() < 0.6, "{}", mean(&moves(variation, 0)));
    }
}

#[test]
fn a_tonal_part_is_one_instrument() {
    let part = Part::new(Song::new().hit(0, 10, 33, 60).hit(480, 10, 45, 80).hits);
    let kit = Kit::of_tones("Bass", &part);
    assert_eq!((kit.instruments.len(), kit.instruments[0].articulations.len()), (1, 2));
    assert_eq!(kit.instruments[0].articulations[0].name, "A1");
    let song = Song::new();
    let context = Context::new(&song.tempo, &song.metre);
    let recipe = Recipe::of(vec![Pass::new(1, Aim::at("tonal"), level(5.0))]);
    assert_eq!(velocities(&perform(&part, &Chart::new(&part, kit), &recipe, &context)), [65, 85]);
}
