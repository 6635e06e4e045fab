//! What passes name is taken along: nothing keeps its old name, and there and back is where it was.

use crate::invariants::{recipes, songs};
use proptest::prelude::*;
use serde_json::Value;
use std::collections::HashSet;
use vivida_core::action::{Arc, ArcPoint, LaneLine, LanePoint, LaneWay};
use vivida_core::*;

/// Changes every text and number of a JSON value; it is told the key that each stands under.
fn changed(value: &mut Value, key: &str, change: &impl Fn(&str, &mut Value)) {
    match value {
        Value::Object(fields) => fields.iter_mut().for_each(|(key, value)| changed(value, key, change)),
        Value::Array(values) => values.iter_mut().for_each(|value| changed(value, key, change)),
        _ => change(key, value),
    }
}

fn altered(recipe: &Recipe, change: impl Fn(&str, &mut Value)) -> Recipe {
    let mut value = serde_json::to_value(recipe).unwrap();
    changed(&mut value, "", &change);
    Recipe::from_value(value).unwrap()
}

/// The texts and numbers of a recipe, each with its key.
fn said(recipe: &Recipe) -> Vec<(String, Value)> {
    let found = std::cell::RefCell::new(Vec::new());
    let mut value = serde_json::to_value(recipe).unwrap();
    changed(&mut value, "", &|key, value| found.borrow_mut().push((key.to_owned(), value.clone())));
    found.into_inner()
}

fn named(texts: impl Iterator<Item = String>) -> HashSet<String> {
    texts.collect()
}

/// General MIDI with its instruments and strokes called otherwise.
fn called(word: &str) -> Kit {
    let mut kit = Kit::general_midi();
    for instrument in &mut kit.instruments {
        instrument.id = InstrumentId::new(format!("{word} {}", instrument.id));
        for way in &mut instrument.articulations {
            way.name = format!("{word} {}", way.name);
        }
    }
    kit
}

/// A recipe for a kit whose names all begin with a word; families and voices of grooves are no names.
fn for_kit(recipe: &Recipe, word: &str) -> Recipe {
    let known = Kit::general_midi();
    let ids = named(known.instruments.iter().map(|one| one.id.to_string()));
    let ways = named(known.instruments.iter().flat_map(|one| &one.articulations).map(|way| way.name.clone()));
    altered(recipe, |key, value| {
        let Some(text) = value.as_str() else { return };
        let is_id = !matches!(key, "family" | "voice" | "kind" | "free") && ids.contains(text);
        let is_stroke = matches!(key, "stroke" | "articulations") && ways.contains(text);
        if is_id || is_stroke {
            *value = format!("{word} {text}").into();
        }
    })
}

fn edits(bars: u32) -> impl Strategy<Value = (BarsEdit, BarsEdit)> {
    (1..=bars + 1, 1..5u32).prop_map(|(before, count)| {
        let bars = BarRange { from: before, to: before + count - 1 };
        (BarsEdit::Insert { before, count }, BarsEdit::Delete { bars })
    })
}

/// A line with a point on some bar lines, or within bars, up to the end of a song of so many bars.
fn lines(bars: u32) -> impl Strategy<Value = Vec<f64>> {
    proptest::collection::btree_set(4..=4 * (bars + 1), 0..8)
        .prop_map(|quarters| quarters.into_iter().map(|quarter| f64::from(quarter) / 4.0).collect())
}

proptest! {
    #[test]
    fn nothing_keeps_the_name_that_it_had_in_another_kit(recipe in recipes()) {
        let (from, to) = (called("old"), called("new"));
        let mut before = for_kit(&recipe, "old");
        for pass in &mut before.passes {
            // Twice is once.
            let Aim { instruments, with, without, .. } = &mut pass.aim;
            let near = [with, without].into_iter().flatten().map(|near| &mut near.instruments);
            near.chain([instruments]).for_each(|ids| {
                let mut seen = HashSet::new();
                ids.retain(|id| seen.insert(id.clone()));
            });
        }
        let (after, _) = before.carried(&from, &to);
        for (key, value) in said(&after) {
            prop_assert!(!value.as_str().is_some_and(|text| text.starts_with("old ")), "{key}: {value}");
        }
        let (back, sentences) = after.carried(&to, &from);
        prop_assert_eq!(back, before);
        // Not known in either: “my-kick”, “nothing of the kind”.
        let unknown = |sentence: &String| ["my-", "note-99", "is called"].iter().any(|name| sentence.contains(name));
        prop_assert!(sentences.iter().all(unknown), "{:?}", sentences);
    }

    #[test]
    fn nothing_keeps_the_hits_that_it_had_in_another_part((song, part) in songs(), recipe in recipes()) {
        let far = |id: u64| id + 700_000;
        let moved = |hit: &Hit| Hit { id: HitId::new(far(hit.id.get()) as u32), ..*hit };
        let part = Part::new(part.hits().iter().map(moved).collect());
        let recipe = altered(&recipe, |key, value| {
            if matches!(key, "picked" | "removed" | "recalled" | "hit") && let Some(id) = value.as_u64() {
                *value = far(id).into();
            }
        });
        let chart = song.chart(&part);
        let plain = Recipe::default();
        let source = |recipe| Regrouping { name: "Drums", part: &part, chart: &chart, recipe };
        let joined = join(&[source(&plain), source(&recipe)], &song.kit);
        for (key, value) in said(&joined.recipe) {
            let id = value.as_u64().unwrap_or(0);
            let is_old = id >= far(0) && part.hits().iter().any(|hit| hit.id.get() == id);
            prop_assert!(!is_old, "{key}: {value}");
        }
        prop_assert_eq!(joined.part.hits().len(), 2 * part.hits().len());
    }

    #[test]
    fn nothing_keeps_the_pocket_that_it_followed(recipe in recipes()) {
        let recipe = altered(&recipe, |key, value| {
            if key == "pocket" && let Some(id) = value.as_u64() {
                *value = (id + 880_000).into();
            }
        });
        let after = recipe.following(|id| PocketId(id.0 - 880_000));
        prop_assert!(said(&after).iter().all(|(_, value)| value.as_u64().is_none_or(|id| !(880_000..890_000).contains(&id))));
        prop_assert_eq!(after.following(|id| PocketId(id.0 + 880_000)), recipe);
    }

    #[test]
    fn bars_that_come_and_go_again_leave_all_as_it_was(
        recipe in recipes(),
        (insert, delete) in edits(8),
        points in lines(8),
        part in songs().prop_map(|(_, part)| part),
    ) {
        // Hits within the song.
        let part = Part::new(part.hits().iter().filter(|hit| hit.tick.0 < 8.0 * 2880.0).copied().collect());
        let arc = Arc { points: points.iter().map(|&bar| ArcPoint { bar, by: bar }).collect(), ..Arc::default() };
        let point = |&bar: &f64| LanePoint { bar, value: 4.0 * bar, way: LaneWay::Stepped };
        let line = LaneLine { points: points.iter().map(point).collect(), ..LaneLine::default() };
        let mut recipe = recipe;
        for pass in &mut recipe.passes {
            // Those of the strategy need not stand in order.
            match &mut pass.action {
                Action::Arc(arc) => arc.points.clear(),
                Action::LaneLine(line) => line.points.clear(),
                _ => {}
            }
        }
        recipe.passes.push(Pass::new(91, Aim::everything(), Action::Arc(arc)));
        recipe.passes.push(Pass::new(92, Aim::everything(), Action::LaneLine(line)));
        let section = |name: &str, from, to| Section { name: name.to_owned(), from, to };
        let sections = vec![section("Verse", 1, 4), section("Fill", 4, 4), section("Verse", 5, 8)];
        let mut outline = Outline::plain(8, 100.0, "4/4");
        outline.metres.push(MetreFrom { bar: 4, metre: "3/4".to_owned() });
        let mut now = (recipe.clone(), sections.clone(), part.clone(), outline.clone());
        for edit in [insert, delete] {
            let (recipe, sections, part, outline) = now;
            let plan = edit.plan(outline.bars).unwrap();
            let moves = plan.moves(outline.bars);
            let after = plan.outline(&outline);
            let ((_, from), (_, to)) = (outline.maps(), after.maps());
            let (recipe, sentences) = moves.recipe(&recipe, &from, &to);
            prop_assert!(sentences.is_empty(), "{edit:?}: {sentences:?}");
            now = (recipe, moves.sections(&sections), plan.part(&part, &from, &to, 5000), after);
        }
        prop_assert_eq!(now, (recipe, sections, part, outline));
    }

    #[test]
    fn what_is_split_and_joined_plays_as_it_did(
        (song, part) in songs(),
        recipe in recipes(),
        first in proptest::sample::select(vec![[0, 1, 0, 1, 0, 1], [0, 0, 1, 1, 0, 0], [1, 1, 1, 0, 0, 0], [0, 1, 1, 1, 1, 0]]),
        variation in 0..9u32,
    ) {
        let chart = song.chart(&part);
        let known = |pass: &Pass| match &pass.action {
            // No aim says that of some of a part's drums: it is left out, and said.
            _ if pass.aim.invert && !(pass.aim.bars.is_empty() && pass.aim.sections.is_empty()) => false,
            // What nobody has a row for belongs to neither half.
            Action::ByHand(hand) => hand.added.iter().all(|hit| chart.instrument_of(hit.note, hit.channel).is_some()),
            _ => true,
        };
        let mut recipe = Recipe::of(recipe.passes.into_iter().filter(known).collect());
        for pass in &mut recipe.passes {
            // As they are in recipes that were made by hand: no two hits have one id.
            if let Action::ByHand(hand) = &mut pass.action {
                hand.added.iter_mut().for_each(|hit| hit.id = HitId::new(hit.id.get() as u32 + 100 * pass.id.0));
            }
        }
        let whole = Regrouping { name: "Drums", part: &part, chart: &chart, recipe: &recipe };
        let ids = chart.kit.instruments.iter().map(|one| one.id.clone());
        let (one, other): (Vec<_>, Vec<_>) = ids.enumerate().partition(|(place, _)| first[place % 6] == 1);
        let halves = [one, other].map(|half| {
            let ids: Vec<InstrumentId> = half.into_iter().map(|(_, id)| id).collect();
            whole.split_off(&ids)
        });
        prop_assume!(halves.iter().all(|half| !half.part.hits().is_empty()));
        let charts = halves.each_ref().map(|half| song.chart(&half.part));
        let sources: Vec<Regrouping<'_>> = (halves.iter().zip(&charts))
            .map(|(half, chart)| Regrouping { name: "Half", part: &half.part, chart, recipe: &half.recipe })
            .collect();
        let joined = join(&sources, &song.kit);
        prop_assert_eq!(&joined.part, &part);
        let played = |recipe: &Recipe| {
            let played = song.play(&part, recipe, variation);
            let mut all: Vec<_> = played.sounding().map(|hit| (hit.tick.0.to_bits(), hit.note, hit.channel, hit.velocity, hit.length.0.to_bits())).collect();
            all.sort();
            all
        };
        prop_assert_eq!(played(&joined.recipe), played(&recipe), "{:?}", joined);
    }
}

/// Two kits may have a drum of the same id that is another one.
#[test]
fn drums_of_equal_ids_stay_apart_when_parts_are_joined() {
    let hit = |id: u32, note: u8| Hit {
        id: HitId::new(id),
        tick: Ticks(f64::from(id) * 480.0),
        length: Ticks(60.0),
        velocity: Velocity::new(80).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    // The one calls note 38 its drum, the other note 50.
    let kit = |notes: [u8; 2]| -> Kit {
        let one = |id: &str, note: u8| {
            serde_json::json!({"id": id, "name": id, "family": "snare", "limb": "left-hand",
            "articulations": [{"name": "head", "note": note}]})
        };
        serde_json::from_value(
            serde_json::json!({"name": "Own", "instruments": [one("drum", notes[0]), one("other", notes[1])]}),
        )
        .unwrap()
    };
    let kits = [kit([38, 50]), kit([50, 38])];
    let parts = [Part::new(vec![hit(0, 38)]), Part::new(vec![hit(1, 50)])];
    let level = |by| Recipe::of(vec![Pass::new(1, Aim::at("drum"), Action::Level(action::Level { by }))]);
    let recipes = [level(5.0), level(-5.0)];
    let charts: Vec<Chart> =
        parts.iter().zip(&kits).map(|(part, kit)| Chart::new(part, kit.clone().with_unknown(part))).collect();
    let sources: Vec<Regrouping<'_>> = (0..2)
        .map(|at| Regrouping { name: "Part", part: &parts[at], chart: &charts[at], recipe: &recipes[at] })
        .collect();
    let joined = join(&sources, &kits[0]);
    let aims: Vec<&str> = joined.recipe.passes.iter().map(|pass| pass.aim.instruments[0].as_str()).collect();
    assert_eq!(aims, ["drum", "other"]);
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let chart = Chart::new(&joined.part, kits[0].clone());
    let played = perform(&joined.part, &chart, &joined.recipe, &Context::new(&tempo, &metre));
    assert_eq!(played.written.iter().map(|hit| hit.velocity.get()).collect::<Vec<_>>(), [85, 75]);
}
