//! Taking and giving grooves, and following pockets: what holds for all of them.

use proptest::collection::{btree_map, vec};
use proptest::prelude::*;
use vivida_core::action::{Groove, Lean, Loosen, Pocket, Pull, Swing};
use vivida_core::*;

/// (bar, slot of the bar, ticks off its line, velocity, note)
type Told = (u32, u32, f64, u8, u8);

fn told() -> impl Strategy<Value = Vec<Told>> {
    let note = prop_oneof![Just(36u8), Just(38), Just(42), Just(51)];
    vec((1..9u32, 0..16u32, -90.0..90.0f64, 20..110u8, note), 1..80)
}

fn part(told: &[Told]) -> Part {
    let hit = |(id, &(bar, slot, off, velocity, note)): (usize, &Told)| Hit {
        id: HitId::new(id as u32),
        tick: Ticks((3840.0 * f64::from(bar) + 240.0 * f64::from(slot) + off).round()),
        length: Ticks(60.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new(told.iter().enumerate().map(hit).collect())
}

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
}

impl Song {
    fn new() -> Song {
        let ppq = Ppq::new(960).unwrap();
        Song { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []) }
    }

    fn take(&self, part: &Part, length: u32) -> Extracted {
        let hits: Vec<PlayedHit> = part.hits().iter().map(PlayedHit::as_written).collect();
        let chart = Chart::new(part, Kit::of_drums(part));
        let take = Extraction { grid: Some(Grid::SIXTEENTHS), length, ..Extraction::default() };
        GrooveProfile::taken("Taken", &chart, &self.tempo, &self.metre, &hits, &take).unwrap()
    }

    fn play(&self, part: &Part, pockets: &Pockets, actions: Vec<Action>) -> Vec<PlayedHit> {
        let chart = Chart::new(part, Kit::of_drums(part));
        let context = Context { pockets, ..Context::new(&self.tempo, &self.metre) };
        let passes = (1..).zip(actions).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
        perform(part, &chart, &Recipe::of(passes), &context).written
    }
}

fn slots() -> impl Strategy<Value = GrooveSlots> {
    btree_map(1..17u32, (-0.4..0.4f64, 0.2..3.0f64), 1..17).prop_map(|slots| {
        let slot = |(number, (offset, velocity))| (number, GrooveSlot { offset, velocity, ..GrooveSlot::default() });
        slots.into_iter().map(slot).collect()
    })
}

fn profile(together: GrooveSlots) -> GrooveProfile {
    GrooveProfile { name: "any".to_owned(), together, ..GrooveProfile::default() }
}

/// Settings that leave nothing to chance.
fn settings() -> impl Strategy<Value = PocketSettings> {
    (-100.0..100.0, 25.0..80.0, slots(), 0.0..200.0, -50.0..50.0, -20.0..20.0).prop_map(
        |(strength, to, slots, timing, by, share)| PocketSettings {
            pull: Pull { strength: Percent(strength), forgive: Millis(2.0), ..Pull::default() },
            swing: Swing { to: Percent(to), ..Swing::default() },
            groove: Groove { groove: profile(slots), timing: Percent(timing), ..Groove::default() },
            lean: Lean { by: Millis(by), share: Percent(share), ..Lean::default() },
            loosen: PocketSettings::default().loosen,
        },
    )
}

proptest! {
    #[test]
    fn every_hit_is_in_its_slot_once(told in told(), length in 1..5u32) {
        let taken = Song::new().take(&part(&told), length);
        let counted: u32 = taken.groove.families.values().flat_map(|slots| slots.values()).map(|slot| slot.count).sum();
        prop_assert_eq!(counted as usize, told.len());
        prop_assert_eq!(taken.groove.together.values().map(|slot| slot.count).sum::<u32>(), counted);
        prop_assert_eq!(taken.hits.slots.len(), told.len());
        prop_assert_eq!(taken.groove.check(), Ok(()));
        let reading = taken.groove.reading();
        prop_assert!(reading.coverage > 0.0 && reading.coverage <= 1.0);
        prop_assert_eq!(reading.hits as usize, told.len());
    }

    #[test]
    fn accents_average_one(told in told()) {
        let groove = Song::new().take(&part(&told), 1).groove;
        for slots in groove.families.values().chain([&groove.together]) {
            let mean = slots.values().map(|slot| slot.velocity).sum::<f64>() / slots.len() as f64;
            prop_assert!((mean - 1.0).abs() < 1e-9, "{mean}");
        }
    }

    #[test]
    fn who_came_first_does_not_matter(told in told(), turn in any::<prop::sample::Index>()) {
        let song = Song::new();
        let mut other = told.clone();
        other.rotate_left(turn.index(told.len()));
        let (a, b) = (song.take(&part(&told), 2).groove, song.take(&part(&other), 2).groove);
        prop_assert_eq!(a.together.len(), b.together.len());
        for (slot, one) in &a.together {
            prop_assert_eq!(one.count, b.together[slot].count);
            prop_assert!((one.offset - b.together[slot].offset).abs() < 1e-9);
            prop_assert!((one.spread - b.together[slot].spread).abs() < 1e-9);
        }
    }

    #[test]
    fn all_later_is_every_slot_later(told in told(), ticks in 0..25u32) {
        let song = Song::new();
        let later: Vec<Told> = told.iter().map(|&(bar, slot, off, v, n)| (bar, slot, off.round() + f64::from(ticks), v, n)).collect();
        let now: Vec<Told> = told.iter().map(|&(bar, slot, off, v, n)| (bar, slot, off.round(), v, n)).collect();
        let (a, b) = (song.take(&part(&now), 1).groove, song.take(&part(&later), 1).groove);
        for (slot, one) in &a.together {
            prop_assert!((b.together[slot].offset - one.offset - f64::from(ticks) / 240.0).abs() < 1e-9);
            prop_assert!((b.together[slot].spread - one.spread).abs() < 1e-9);
        }
    }

    #[test]
    fn what_is_inferred_lies_between_what_is_known(slots in slots()) {
        let groove = profile(slots.clone());
        let filled = groove.filled(&slots);
        prop_assert_eq!(filled.len(), 16);
        let bounds = |of: fn(&GrooveSlot) -> f64| {
            slots.values().map(of).fold((f64::INFINITY, f64::NEG_INFINITY), |(least, most), value| (least.min(value), most.max(value)))
        };
        let (earliest, latest) = bounds(|slot| slot.offset);
        for (number, slot) in (1..).zip(&filled) {
            prop_assert!((earliest - 1e-12..=latest + 1e-12).contains(&slot.offset));
            if let Some(known) = slots.get(&number) {
                prop_assert_eq!(slot, known);
            }
        }
    }

    #[test]
    fn a_groove_moves_in_proportion_to_its_strength(slots in slots(), told in told(), timing in 0.0..100.0f64) {
        let song = Song::new();
        // One hit a note and slot, so that nothing is in anything's way.
        let mut told = told;
        told.sort_by_key(|&(bar, slot, _, _, note)| (note, bar, slot));
        told.dedup_by_key(|&mut (_, _, _, _, note)| note);
        let part = part(&told);
        let played = |timing: f64| {
            let action = Groove { groove: profile(slots.clone()), timing: Percent(timing), touch: Percent(0.0), ..Groove::default() };
            song.play(&part, &Pockets::new(), vec![Action::Groove(action)])
        };
        for ((hit, full), some) in part.hits().iter().zip(played(100.0)).zip(played(timing)) {
            let expected = hit.tick.0 + (full.tick - hit.tick).0 * timing / 100.0;
            prop_assert!((some.tick.0 - expected).abs() <= 1.0 + 1e-6, "{} instead of {expected}", some.tick.0);
            prop_assert_eq!(some.velocity, hit.velocity);
        }
    }

    #[test]
    fn followers_are_as_their_passes_would_be(settings in settings(), told in told(), strength in 0.0..200.0f64) {
        let (song, part) = (Song::new(), part(&told));
        let pockets = Pockets::from([(PocketId(7), settings.clone())]);
        let follow = Action::Pocket(Pocket { pocket: PocketId(7), strength: Percent(strength) });
        let alone = settings.as_actions(Percent(strength));
        prop_assert_eq!(song.play(&part, &pockets, vec![follow]), song.play(&part, &pockets, alone));
    }

    #[test]
    fn settings_survive_json_and_stay_in_range_at_any_strength(settings in settings(), strength in 0.0..200.0f64) {
        let json = serde_json::to_value(&settings).unwrap();
        prop_assert_eq!(PocketSettings::from_value(json).unwrap(), settings.clone());
        let stronger = settings.at(Percent(strength));
        prop_assert_eq!(PocketSettings::from_value(serde_json::to_value(&stronger).unwrap()).unwrap(), stronger);
        prop_assert_eq!(settings.at(Percent(100.0)), settings);
    }

    #[test]
    fn any_groove_survives_its_file(slots in slots(), note in "[a-z ]{0,20}") {
        let file = GrooveFile::new(note, profile(slots));
        prop_assert_eq!(GrooveFile::parse(&serde_json::to_string(&file).unwrap()).unwrap(), file);
    }
}

#[test]
fn a_drift_that_is_shared_is_the_same_in_every_part() {
    // Two parts with other hits: where they are struck together they are moved together.
    let song = Song::new();
    let loosen = Loosen { early: Millis(0.0), late: Millis(0.0), wander: Millis(15.0), ..Loosen::default() };
    let pockets = Pockets::from([(PocketId(2), PocketSettings { loosen, ..PocketSettings::default() })]);
    let follow = |strength: f64| vec![Action::Pocket(Pocket { pocket: PocketId(2), strength: Percent(strength) })];
    let beats = |note: u8, every: u32| {
        part(&(0..64).filter(|k| k % every == 0).map(|k| (1 + k / 4, k % 4 * 4, 0.0, 90, note)).collect::<Vec<Told>>())
    };
    let (hats, bass) =
        (song.play(&beats(42, 1), &pockets, follow(100.0)), song.play(&beats(36, 2), &pockets, follow(100.0)));
    for (hat, low) in hats.iter().step_by(2).zip(&bass) {
        assert_eq!(hat.tick, low.tick);
    }
    assert!(hats.iter().enumerate().any(|(beat, hat)| (hat.tick.0 - 3840.0 - 960.0 * beat as f64).abs() > 8.0));
}
