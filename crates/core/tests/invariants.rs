//! The invariants of the engine, each a property test of its name.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::{Contrast, Lean, Level, Loosen, Shape, Spread};
use vivida_core::*;

const NOTES: [u8; 6] = [36, 38, 40, 42, 46, 99];
const IDS: [&str; 6] = ["kick", "snare", "closed-hat", "open-hat", "note-99", "ride"];

/// A song of few notes and small distances, so that hits often collide.
fn parts() -> impl Strategy<Value = Part> {
    vec((0..6usize, 0..4000u32, 1..500u32, 1..=127u8), 0..60).prop_map(|hits| {
        let hit = |(id, (note, tick, length, velocity)): (usize, (usize, u32, u32, u8))| Hit {
            id: HitId(id as u32),
            tick: Ticks(f64::from(tick)),
            length: Ticks(f64::from(length)),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(NOTES[note]).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(hits.into_iter().enumerate().map(hit).collect())
    })
}

fn aims() -> impl Strategy<Value = Aim> {
    (vec(0..6usize, 0..3), vec((1..3u32, 0..2u32), 0..2)).prop_map(|(instruments, bars)| Aim {
        instruments: instruments.into_iter().map(|index| InstrumentId::new(IDS[index])).collect(),
        bars: bars.into_iter().map(|(from, more)| BarRange { from, to: from + more }).collect(),
    })
}

fn velocities() -> impl Strategy<Value = Velocity> {
    (1..=127u8).prop_map(|value| Velocity::new(value).unwrap())
}

fn shapes() -> impl Strategy<Value = Shape> {
    ([velocities(), velocities(), velocities()], 0..=100u8, 0..=100u8).prop_map(|(mut handles, amount, follow)| {
        handles.sort();
        let [soft, typical, hard] = handles;
        Shape { soft, typical, hard, amount: Percent(f64::from(amount)), follow: Percent(f64::from(follow)) }
    })
}

fn actions() -> impl Strategy<Value = Action> {
    prop_oneof![
        shapes().prop_map(Action::Shape),
        (0.0..400.0, proptest::option::of(velocities()))
            .prop_map(|(contrast, pivot)| Action::Contrast(Contrast { contrast: Percent(contrast), pivot })),
        (-126.0..126.0).prop_map(|by| Action::Level(Level { by })),
        (-200.0..200.0).prop_map(|by| Action::Lean(Lean { by: Millis(by) })),
        (0.0..100.0, 0.0..100.0, any::<bool>()).prop_map(|(early, late, bell)| {
            let spread = if bell { Spread::Bell } else { Spread::Even };
            Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread })
        }),
    ]
}

fn recipes() -> impl Strategy<Value = Recipe> {
    vec((aims(), actions(), any::<bool>()), 0..6).prop_map(|passes| Recipe {
        passes: (1..).zip(passes).map(|(id, (aim, action, on))| Pass { on, ..Pass::new(id, aim, action) }).collect(),
    })
}

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
}

impl Song {
    fn new() -> Song {
        let ppq = Ppq::new(960).unwrap();
        let faster = [(Ticks(0.0), 600_000), (Ticks(1500.0), 400_000)];
        let metres = [(Ticks(0.0), Metre::new(3, 8).unwrap()), (Ticks(1440.0), Metre::new(2, 4).unwrap())];
        Song { tempo: TempoMap::new(ppq, faster), metre: MetreMap::new(ppq, metres) }
    }

    fn context(&self, variation: u32) -> Context<'_> {
        Context { tempo: &self.tempo, metre: &self.metre, variation, round: 0, start: Ticks(0.0) }
    }
}

fn play(part: &Part, recipe: &Recipe, variation: u32) -> Performance {
    perform(part, &Kit::of_drums(part), recipe, &Song::new().context(variation))
}

fn plain(part: &Part) -> Vec<PlayedHit> {
    let played = |hit: &Hit| PlayedHit {
        id: hit.id,
        tick: hit.tick,
        length: hit.length,
        velocity: hit.velocity,
        release: hit.release,
        note: hit.note,
        channel: hit.channel,
    };
    part.hits().iter().map(played).collect()
}

fn one(aim: Aim, action: Action) -> Recipe {
    Recipe { passes: vec![Pass::new(1, aim, action)] }
}

proptest! {
    #[test]
    fn written_is_untouched(part in parts(), recipe in recipes()) {
        let before = part.clone();
        play(&part, &recipe, 3);
        prop_assert_eq!(&part, &before);
        prop_assert_eq!(play(&part, &Recipe::default(), 3).hits, plain(&part));
    }

    #[test]
    fn same_in_same_out(part in parts(), recipe in recipes(), variation in 0..9u32) {
        let (first, second) = (play(&part, &recipe, variation), play(&part.clone(), &recipe.clone(), variation));
        for (a, b) in first.hits.iter().zip(&second.hits) {
            prop_assert_eq!(a.tick.0.to_bits(), b.tick.0.to_bits());
            prop_assert_eq!(a.length.0.to_bits(), b.length.0.to_bits());
            prop_assert_eq!(a, b);
        }
        prop_assert_eq!(first.passes, second.passes);
    }

    #[test]
    fn stable_dice(part in parts(), early in 0.0..9.0, late in 0.0..9.0, kept in any::<u64>(), off in 2..20u32) {
        let loosen = |early, late| {
            Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread: Spread::Even })
        };
        // Each hit on a note of its own far from the start: nothing but its dice can move it.
        let alone = |hits: &[Hit]| Part::new(hits.iter().map(|hit| Hit {
            note: Note::from_data(hit.id.0 as u8),
            tick: hit.tick + Ticks(2000.0),
            ..*hit
        }).collect());
        let all = alone(part.hits());
        let some: Vec<Hit> = part.hits().iter().filter(|hit| kept >> (hit.id.0 % 64) & 1 == 1).copied().collect();
        let some = alone(&some);

        let narrow = play(&all, &one(Aim::everything(), loosen(early, late)), 5);
        let wide = play(&all, &one(Aim::everything(), loosen(2.0 * early, 2.0 * late)), 5);
        for ((hit, near), far) in all.hits().iter().zip(&narrow.hits).zip(&wide.hits) {
            let (near, far) = (near.tick - hit.tick, far.tick - hit.tick);
            prop_assert!((far.0 - 2.0 * near.0).abs() <= 1.5, "{near:?} became {far:?}");
        }

        // Fewer hits and other passes around it: the hits that are left are not dealt anew.
        let silent = Pass { on: false, ..Pass::new(off, Aim::everything(), loosen(50.0, 50.0)) };
        let level = Pass::new(off + 1, Aim::everything(), Action::Level(Level { by: 5.0 }));
        let recipe = Recipe { passes: vec![silent, Pass::new(1, Aim::everything(), loosen(early, late)), level] };
        for played in play(&some, &recipe, 5).hits {
            let before = narrow.hits.iter().find(|hit| hit.id == played.id).unwrap();
            prop_assert_eq!(played.tick, before.tick);
        }
    }

    #[test]
    fn order_kept(part in parts(), recipe in recipes()) {
        let played = play(&part, &recipe, 1);
        for (index, (hit, now)) in part.hits().iter().zip(&played.hits).enumerate() {
            let follows = part.hits()[index + 1..].iter().zip(&played.hits[index + 1..]);
            let Some((next_hit, next)) = follows.into_iter().find(|(next, _)| next.note == hit.note) else { continue };
            let apart = next_hit.tick > hit.tick;
            let in_order = next.tick > now.tick || (!apart && next.tick == now.tick);
            prop_assert!(in_order, "swapped with the next");
            let as_written = hit.tick == now.tick && hit.length == now.length && next_hit.tick == next.tick;
            if apart && !as_written {
                prop_assert!(now.tick + now.length <= next.tick, "sounds at once with the next");
            }
        }
    }

    #[test]
    fn in_range(part in parts(), recipe in recipes()) {
        for hit in play(&part, &recipe, 2).hits {
            prop_assert!((1..=127).contains(&hit.velocity.get()));
            prop_assert!(hit.tick >= Ticks(0.0) && hit.tick.0.fract() == 0.0);
            prop_assert!(hit.length >= Ticks(1.0) && hit.length.0.fract() == 0.0);
        }
    }

    #[test]
    fn neutral_is_identity(part in parts(), aim in aims(), shape in shapes(), pivot in proptest::option::of(velocities())) {
        let neutral = [
            Action::Shape(Shape { amount: Percent(0.0), ..shape }),
            Action::Contrast(Contrast { contrast: Percent(100.0), pivot }),
            Action::Level(Level { by: 0.0 }),
            Action::Lean(Lean { by: Millis(0.0) }),
            Action::Loosen(Loosen { early: Millis(0.0), late: Millis(0.0), spread: Spread::Bell }),
        ];
        prop_assert_eq!(neutral.len(), Action::all().len(), "an action without a neutral setting here");
        for action in neutral {
            let played = play(&part, &one(aim.clone(), action), 1);
            prop_assert_eq!(&played.hits, &plain(&part));
            prop_assert_eq!(played.passes[0].touched, 0);
        }
    }

    #[test]
    fn off_is_absent(part in parts(), recipe in recipes()) {
        let removed = Recipe { passes: recipe.passes.iter().filter(|pass| pass.on).cloned().collect() };
        prop_assert_eq!(play(&part, &recipe, 4), play(&part, &removed, 4));
    }

    #[test]
    fn only_whom_it_aims_at(part in parts(), aim in aims(), action in actions()) {
        let song = Song::new();
        let kit = Kit::of_drums(&part);
        let played = perform(&part, &kit, &one(aim.clone(), action), &song.context(1));
        let lookup = kit.lookup();
        for (hit, now) in part.hits().iter().zip(&played.hits) {
            let instrument = &kit.instruments[lookup.instrument(hit.note, hit.channel).unwrap()].id;
            let bar = song.metre.bar_at(hit.tick).number;
            let meant = (aim.instruments.is_empty() || aim.instruments.contains(instrument))
                && (aim.bars.is_empty() || aim.bars.iter().any(|range| range.from <= bar && bar <= range.to));
            if !meant {
                prop_assert_eq!((now.velocity, now.tick, now.note), (hit.velocity, hit.tick, hit.note));
                prop_assert!(now.length <= hit.length, "only ever cut");
            }
        }
        let aimed = |pass: &PassReport| (pass.aimed, pass.touched);
        let (aimed, touched) = aimed(&played.passes[0]);
        prop_assert!(touched <= aimed && aimed as usize <= part.hits().len());
    }

    #[test]
    fn monotone(part in parts(), shape in shapes(), contrast in 0.0..400.0, by in -126.0..126.0) {
        let rules = [
            Action::Shape(shape),
            Action::Contrast(Contrast { contrast: Percent(contrast), pivot: None }),
            Action::Level(Level { by }),
        ];
        let lookup = Kit::of_drums(&part).lookup();
        for action in rules {
            let played = play(&part, &one(Aim::everything(), action), 1);
            let mut rows: Vec<(usize, Velocity, Velocity)> = part.hits().iter().zip(&played.hits)
                .map(|(hit, now)| (lookup.instrument(hit.note, hit.channel).unwrap(), hit.velocity, now.velocity))
                .collect();
            rows.sort();
            for pair in rows.windows(2).filter(|pair| pair[0].0 == pair[1].0 && pair[0].1 < pair[1].1) {
                prop_assert!(pair[0].2 <= pair[1].2);
            }
        }
    }

    #[test]
    fn touched_by_is_what_the_report_counts(part in parts(), recipe in recipes()) {
        let song = Song::new();
        let kit = Kit::of_drums(&part);
        for report in perform(&part, &kit, &recipe, &song.context(1)).passes {
            let touched = touched_by(&part, &kit, &recipe, &song.context(1), report.pass);
            prop_assert_eq!(touched.len(), report.touched as usize);
        }
    }

    #[test]
    fn every_recipe_survives_json(recipe in recipes()) {
        let file = RecipeFile::new("any", "", recipe);
        let text = serde_json::to_string(&file).unwrap();
        prop_assert_eq!(RecipeFile::parse(&text).unwrap(), file);
    }
}
