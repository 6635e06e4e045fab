//! What the page is told of rules, so that it holds none itself, is what the actions do.

use proptest::prelude::*;
use serde_json::json;
use vivida_core::*;

const PPQ: u32 = 960;

/// Hits of a hat at these ticks, all as loud.
fn hats(ticks: impl IntoIterator<Item = u32>) -> Part {
    let hit = |(id, tick): (u32, u32)| Hit {
        id: HitId::new(id),
        tick: Ticks(f64::from(tick)),
        length: Ticks(60.0),
        velocity: Velocity::new(64).unwrap(),
        release: 64,
        note: Note::new(42).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new((0..).zip(ticks).map(hit).collect())
}

/// The part, played by one pass at 120 bpm and from bar 2 on at 90, and what it is said to do.
fn played(part: &Part, pass: serde_json::Value) -> (Performance, TempoMap, MetreMap) {
    let ppq = Ppq::new(PPQ).unwrap();
    let tempo = TempoMap::new(ppq, [(Ticks(3840.0), 666_667)]);
    let metre = MetreMap::new(ppq, []);
    let recipe = Recipe::from_value(json!({"passes": [pass]})).unwrap();
    let chart = Chart::new(part, Kit::of_drums(part));
    let performance = perform(part, &chart, &recipe, &Context::new(&tempo, &metre));
    (performance, tempo, metre)
}

proptest! {
    /// A pull leaves alone what lies where it is told to leave alone, and moves everything else.
    #[test]
    fn hits_are_left_alone_where_that_is_said(forgive in 0..60u32, reach in prop::option::of(1..200u32), swing in 50.0..70.0f64) {
        let part = hats((0..7600).step_by(37));
        let pull = json!({"kind": "pull", "grid": "1/16", "swing": swing, "strength": 50, "forgive": forgive, "reach": reach});
        let (performance, tempo, metre) = played(&part, json!({"id": 1, "action": pull}));
        let by = performance.passes[0].moves_by.expect("a pull moves by lines");
        prop_assert_eq!(by.grid.to_string(), "1/16");
        let lines = by.grid.lines(&metre, by.swing, Ticks(0.0), Ticks(7680.0), 1000);
        let alone = by.left_alone(&tempo, &lines);
        for (now, was) in performance.written.iter().zip(part.hits()) {
            let within = |[from, to]: &[f64; 2], margin: f64| *from + margin < was.tick.0 && was.tick.0 < *to - margin;
            let is_in = |margin: f64| alone.forgiven.iter().chain(&alone.beyond).any(|one| within(one, margin));
            let off = lines.iter().map(|line| (line - was.tick.0).abs()).fold(f64::INFINITY, f64::min);
            if is_in(0.001) {
                prop_assert_eq!(now.tick, was.tick, "told to be left alone: {:?}", alone);
            } else if !is_in(-0.001) && off > 2.0 {
                prop_assert!(now.tick != was.tick, "{:?} is told to be moved: {:?}", was.tick, alone);
            }
        }
    }

    /// A swell adds what its curve says, on the curve's own ticks.
    #[test]
    fn a_swells_curve_is_what_it_adds(from in -40..40i32, to in -40..40i32, curve in 0..3usize, bars in any::<bool>()) {
        let part = hats((480..7000).step_by(240));
        let curve = ["straight", "late", "early"][curve];
        let aim = if bars { json!({"bars": [{"from": 1, "to": 1}, {"from": 2, "to": 2}]}) } else { json!({}) };
        let swell = json!({"kind": "swell", "from": from, "to": to, "curve": curve});
        let (performance, ..) = played(&part, json!({"id": 1, "aim": aim, "action": swell}));
        let curves = &performance.passes[0].curves;
        prop_assert_eq!(curves.len(), if bars { 2 } else { 1 });
        if !bars {
            // Without bars it goes from the first hit to the last, not over the whole song.
            prop_assert_eq!((curves[0][0][0], curves[0].last().unwrap()[0]), (480.0, 6960.0));
        }
        for (now, was) in performance.written.iter().zip(part.hits()) {
            let of = curves.iter().rfind(|curve| curve[0][0] <= was.tick.0).unwrap();
            let after = of.iter().position(|point| point[0] > was.tick.0).unwrap_or(of.len() - 1).max(1);
            let [[x0, y0], [x1, y1]] = [of[after - 1], of[after]];
            let line = y0 + (was.tick.0 - x0) / (x1 - x0) * (y1 - y0);
            let change = f64::from(now.velocity.get()) - 64.0;
            prop_assert!((change - line).abs() <= 1.0, "{} at {:?}, {} by the curve", change, was.tick, line);
        }
    }
}

#[test]
fn what_an_aim_offers_it_takes_up_to_the_ends_of_its_ranges() {
    let offer = AimOffer::all();
    let starts = serde_json::to_value(&offer.starts).unwrap();
    let recipe = |aim: serde_json::Value| {
        Recipe::from_value(json!({"passes": [{"id": 1, "aim": aim, "action": {"kind": "level", "by": 1}}]}))
    };
    assert!(recipe(starts.clone()).is_ok());
    // Each condition begins as something.
    for condition in ["positions", "velocity", "length", "speed", "run", "with", "without", "share"] {
        assert!(!starts[condition].is_null(), "{condition}");
    }
    for AimNumber { field, min, max, .. } in offer.numbers {
        let with = |value: f64| {
            let mut aim = starts.clone();
            // The shortest is at most the longest.
            aim["length"] = json!({"from": 0, "to": 60_000});
            aim["speed"] = json!({});
            match field.split_once('.') {
                Some(("positions", "slots")) => aim["positions"]["slots"] = json!([value as i64]),
                Some((condition, name)) if value.fract() == 0.0 => aim[condition][name] = json!(value as i64),
                Some((condition, name)) => aim[condition][name] = json!(value),
                None => aim[field] = json!(value),
            }
            recipe(aim)
        };
        assert!(with(min).is_ok() && with(max).is_ok(), "{field}: {:?} {:?}", with(min).err(), with(max).err());
        let error = with(max + 1.0).expect_err(field).to_string();
        assert!(error.contains(field.split('.').next().unwrap()), "{error}");
    }
}

#[test]
fn swing_is_told_where_it_is_heard() {
    let swung = |percent: f64| {
        let late = (2.0 * 240.0 * percent / 100.0).round() as u32;
        let part = hats((0..16).flat_map(|pair| [480 * pair, 480 * pair + late]));
        let ppq = Ppq::new(PPQ).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let context = Context::new(&tempo, &metre);
        let heard = &Measured::written(&part, &chart, &context).all.heard_swing;
        heard.as_ref().map(|swing| (swing.of.clone(), swing.percent))
    };
    assert_eq!(swung(50.0), None);
    assert_eq!(swung(51.0), None, "nobody hears 5 ms");
    assert_eq!(swung(58.0), Some(("1/16".to_owned(), 57.9)));
}
