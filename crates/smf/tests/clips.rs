//! Grooves as clips: what goes out comes in again, and what is said of odd clips.

use proptest::prelude::*;
use vivida_core::*;
use vivida_smf::{ClipError, clip_of, groove_of_clip};

fn slots(offsets: &[f64]) -> GrooveSlots {
    let slot = |(number, &offset): (u32, &f64)| (number, GrooveSlot { offset, ..GrooveSlot::default() });
    (1..).zip(offsets).map(slot).collect()
}

/// The largest distance between two grooves' offsets, in ticks of 960 a quarter.
fn apart(a: &GrooveProfile, b: &GrooveProfile) -> f64 {
    assert_eq!((a.bars, a.grid, &a.metre), (b.bars, b.grid, &b.metre), "{}", a.name);
    assert_eq!(a.families.keys().collect::<Vec<_>>(), b.families.keys().collect::<Vec<_>>(), "{}", a.name);
    let cell = a.grid.cell(Ppq::new(960).unwrap()).0;
    let pairs = a.families.iter().zip(b.families.values());
    let offsets = pairs.flat_map(|((_, a), b)| {
        assert_eq!(a.keys().collect::<Vec<_>>(), b.keys().collect::<Vec<_>>());
        a.values().zip(b.values()).map(|(a, b)| (a.offset - b.offset).abs() * cell).collect::<Vec<f64>>()
    });
    offsets.fold(0.0, f64::max)
}

#[test]
fn own_grooves_come_back_from_their_clips() {
    let mut most: f64 = 0.0;
    for OwnGroove { groove, .. } in GrooveProfile::own() {
        let clip = clip_of(&groove);
        let again = groove_of_clip(&groove.name, &clip).unwrap();
        assert_eq!(again.said, Vec::<String>::new(), "{}", groove.name);
        // Without families a clip is played on the hat.
        let families = if groove.families.is_empty() {
            [(Family::Hat, groove.together.clone())].into()
        } else {
            groove.families.clone()
        };
        most = most.max(apart(&GrooveProfile { families, ..groove }, &again.groove));
    }
    assert!((0.01..=0.5).contains(&most), "{most} ticks");
}

#[test]
fn a_groove_goes_round_by_way_of_a_part_a_clip_and_a_part() {
    // Applied in full, exported, read and taken again: within half a tick each way.
    let groove =
        GrooveProfile::own().into_iter().find(|one| one.groove.name == "Samba-like sixteenths").unwrap().groove;
    let (tempo, metre) = (TempoMap::new(Ppq::new(960).unwrap(), []), MetreMap::new(Ppq::new(960).unwrap(), []));
    let hit = |id: u32| Hit {
        id: HitId::new(id),
        tick: Ticks(3840.0 + 240.0 * f64::from(id)),
        length: Ticks(100.0),
        velocity: Velocity::new(80).unwrap(),
        release: 64,
        note: Note::new(42).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new((0..64).map(hit).collect());
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let taken_of = |groove: &GrooveProfile| {
        let action = Action::Groove(action::Groove { groove: groove.clone(), ..action::Groove::default() });
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), action)]);
        let played = perform(&part, &chart, &recipe, &Context::new(&tempo, &metre)).written;
        let take = Extraction { grid: Some(Grid::SIXTEENTHS), ..Extraction::default() };
        GrooveProfile::taken("Taken", &chart, &tempo, &metre, &played, &take).unwrap().groove
    };
    let first = taken_of(&groove);
    let clip = groove_of_clip("Clip", &clip_of(&first)).unwrap().groove;
    let last = taken_of(&clip);
    for (slot, was) in &groove.together {
        let off = |other: &GrooveProfile| (other.together[slot].offset - was.offset).abs() * 240.0;
        let (once, out, back) = (off(&first), off(&clip), off(&last));
        assert!(once <= 0.5 && out <= 1.0 && back <= 1.5, "slot {slot}: {once} {out} {back} ticks");
    }
}

#[test]
fn odd_clips_say_what_is_the_matter() {
    let empty = GrooveProfile::default();
    assert!(groove_of_clip("Empty", &clip_of(&empty)).unwrap_err().to_string().contains("no notes"));
    assert!(matches!(groove_of_clip("No clip", b"not MIDI"), Err(ClipError::Read(_))));
    let one = GrooveProfile { together: slots(&[0.1]), ..empty.clone() };
    let taken = groove_of_clip("One", &clip_of(&one)).unwrap();
    assert!(taken.said[0].contains("one hit"), "{:?}", taken.said);
    // Sixteen bars and a clip of forty, which is longer than a groove.
    let long: GrooveSlots = (0..40).map(|bar| (bar * 16 + 1, GrooveSlot::default())).collect();
    let clip = clip_of(&GrooveProfile { bars: 40, together: long, ..empty });
    let taken = groove_of_clip("Long", &clip).unwrap();
    assert_eq!((taken.groove.bars, taken.groove.together[&1].count), (4, 10));
    assert!(taken.said[0].contains("40 bars were laid over one another in 4"), "{:?}", taken.said);
}

#[test]
fn tones_and_mixed_clips_are_read() {
    let tonal =
        GrooveProfile { families: [(Family::Tonal, slots(&[0.0, 0.1, 0.0, 0.1]))].into(), ..GrooveProfile::default() };
    let again = groove_of_clip("Bass", &clip_of(&tonal)).unwrap().groove;
    assert!(again.families.contains_key(&Family::Tonal), "{:?}", again.families.keys());
    let mixed =
        GrooveProfile { families: [(Family::Tonal, slots(&[0.0])), (Family::Kick, slots(&[0.1]))].into(), ..tonal };
    let taken = groove_of_clip("Both", &clip_of(&mixed)).unwrap();
    assert_eq!(taken.groove.families.keys().collect::<Vec<_>>(), [&Family::Kick]);
    assert!(taken.said.iter().any(|said| said.contains("Only the drums")), "{:?}", taken.said);
}

proptest! {
    #[test]
    fn any_groove_is_a_clip_within_half_a_tick(
        offsets in proptest::collection::vec(-0.3..0.3, 16),
        tempo in 40.0..220.0,
    ) {
        let groove = GrooveProfile { families: [(Family::Snare, slots(&offsets))].into(), tempo, ..GrooveProfile::default() };
        let again = groove_of_clip("Again", &clip_of(&groove)).unwrap().groove;
        prop_assert!(apart(&groove, &again) <= 0.5 + 1e-6);
        prop_assert!((again.tempo - tempo).abs() < 0.01);
    }
}
