//! Aiming by example: the rule that is offered names exactly what it says.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::Level;
use vivida_core::*;

struct Groove {
    part: Part,
    chart: Chart,
    tempo: TempoMap,
    metre: MetreMap,
    sections: Vec<Section>,
}

/// So many bars of hats in 8ths, kick on 1 and 3, snare on 2 and 4 with a soft one a 16th before 4; bars 5 to 8 are the
/// verse.
fn groove(bars: u32) -> Groove {
    let ppq = Ppq::new(960).unwrap();
    let mut hits = Vec::new();
    for bar in 0..bars {
        let mut add = |sixteenth: u32, note: u8, velocity: u8| {
            hits.push(Hit {
                id: HitId::new(hits.len() as u32),
                tick: Ticks(f64::from(bar * 3840 + sixteenth * 240)),
                length: Ticks(60.0),
                velocity: Velocity::new(velocity).unwrap(),
                release: 64,
                note: Note::new(note).unwrap(),
                channel: Channel::PERCUSSION,
            });
        };
        (0..8).for_each(|eighth| add(2 * eighth, 42, if eighth % 2 == 0 { 90 } else { 70 }));
        (0..2).for_each(|half| add(8 * half, 36, 100));
        (0..2).for_each(|half| add(8 * half + 4, 38, 110));
        add(11, 38, 35);
    }
    let part = Part::new(hits);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let sections = vec![Section { name: "verse".to_owned(), from: 5, to: 8 }];
    Groove { part, chart, tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []), sections }
}

impl Groove {
    fn context(&self) -> Context<'_> {
        Context { sections: &self.sections, ..Context::new(&self.tempo, &self.metre) }
    }

    /// The hits of a note for whose bar (from 1), 16th and velocity something holds.
    fn where_(&self, note: u8, holds: impl Fn(u32, u32, u8) -> bool) -> Vec<HitId> {
        let place = |hit: &&Hit| {
            let at = hit.tick.0 as u32;
            hit.note.get() == note && holds(at / 3840 + 1, at % 3840 / 240, hit.velocity.get())
        };
        self.part.hits().iter().filter(place).map(|hit| hit.id).collect()
    }

    fn rules(&self, hits: &[HitId]) -> Vec<AimRule> {
        aim_rules(&Rehearsal::of(&self.part, &self.chart, &Recipe::default(), &self.context()), hits)
    }

    /// What an aim means.
    fn meant(&self, aim: &Aim) -> Vec<HitId> {
        let recipe = Recipe::of(vec![Pass::new(1, aim.clone(), Action::Level(Level { by: 1.0 }))]);
        aimed_by(&self.part, &self.chart, &recipe, &self.context(), PassId(1))
    }
}

#[test]
fn backbeats_of_some_bars_are_2_and_4_of_those_bars() {
    let groove = groove(24);
    let hits = groove.where_(38, |bar, sixteenth, _| (5..=20).contains(&bar) && sixteenth % 8 == 4);
    let rule = groove.rules(&hits).remove(0);
    assert_eq!((rule.adds, rule.misses, rule.means), (0, 0, 32));
    assert_eq!(rule.aim.instruments, [InstrumentId::new("snare")]);
    assert_eq!(rule.aim.bars, [BarRange { from: 5, to: 20 }]);
    assert!(rule.aim.positions.is_some() || rule.aim.velocity.is_some(), "{rule:?}");
}

#[test]
fn ghosts_of_the_whole_song_are_what_is_soft_or_where_they_are() {
    let groove = groove(12);
    let hits = groove.where_(38, |_, _, velocity| velocity < 40);
    let rule = groove.rules(&hits).remove(0);
    assert_eq!((rule.adds, rule.misses), (0, 0));
    assert!(rule.aim.bars.is_empty() && rule.aim.sections.is_empty(), "it holds in the next verse: {rule:?}");
}

#[test]
fn every_second_hat_of_the_verse_names_the_verse() {
    let groove = groove(16);
    let hits = groove.where_(42, |bar, sixteenth, _| (5..=8).contains(&bar) && sixteenth % 4 == 2);
    let rule = groove.rules(&hits).remove(0);
    assert_eq!((rule.adds, rule.misses), (0, 0));
    assert_eq!(rule.aim.sections, ["verse"]);
}

#[test]
fn what_no_rule_names_is_offered_with_what_it_would_add() {
    let groove = groove(40);
    // Two bars of three, all along: too many stretches to be said.
    let hits = groove.where_(42, |bar, sixteenth, _| bar % 3 != 0 && sixteenth == 2);
    let rules = groove.rules(&hits);
    assert!(rules.first().is_some_and(|rule| rule.adds == 13 && rule.misses == 0), "{rules:?}");
    assert!(groove.rules(&[]).is_empty() && groove.rules(&[HitId::new(999_999)]).is_empty());
}

proptest! {
    #[test]
    fn a_rule_names_exactly_what_it_says(picked in vec(0..13usize * 9, 1..30), note in prop_oneof![Just(36u8), Just(38), Just(42)], all in any::<bool>()) {
        let groove = groove(9);
        let hits: Vec<HitId> = groove.part.hits().iter().enumerate()
            .filter(|(place, hit)| picked.contains(place) && (all || hit.note.get() == note))
            .map(|(_, hit)| hit.id)
            .collect();
        for rule in groove.rules(&hits) {
            let meant = groove.meant(&rule.aim);
            let own = meant.iter().filter(|id| hits.contains(id)).count();
            prop_assert_eq!(rule.means as usize, meant.len());
            prop_assert_eq!(rule.adds as usize, meant.len() - own);
            prop_assert_eq!(rule.misses as usize, hits.len() - own);
        }
    }
}
