//! What each action promises, on parts of all kinds.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::*;
use vivida_core::stats::quantile;
use vivida_core::*;

/// A hat and a snare in 16ths at 120 bpm, up to a few ms off, at any velocity.
fn parts() -> impl Strategy<Value = Part> {
    vec((1..=127u8, -20.0..20.0, any::<bool>()), 1..80).prop_map(|hits| {
        let hit = |(index, (velocity, off, snare)): (usize, (u8, f64, bool))| Hit {
            id: HitId::new(index as u32),
            // From the second bar on, so that the start holds nothing back.
            tick: Ticks((3840.0 + 240.0 * index as f64 + off).round()),
            length: Ticks(60.0),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(if snare { 38 } else { 42 }).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(hits.into_iter().enumerate().map(hit).collect())
    })
}

fn play(part: &Part, action: Action) -> Vec<PlayedHit> {
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), action)]);
    let chart = Chart::new(part, Kit::of_drums(part));
    perform(part, &chart, &recipe, &Context::new(&tempo, &metre)).written
}

/// Soft, typical and hard.
fn handles() -> impl Strategy<Value = [f64; 3]> {
    (10..40u8, 41..80u8, 81..120u8).prop_map(|(soft, typical, hard)| [soft, typical, hard].map(f64::from))
}

fn velocities(part: &Part, action: Action) -> Vec<i32> {
    play(part, action).iter().map(|hit| i32::from(hit.velocity.get())).collect()
}

fn written(part: &Part) -> Vec<i32> {
    part.hits().iter().map(|hit| i32::from(hit.velocity.get())).collect()
}

/// The rows of each instrument.
fn instruments(part: &Part) -> Vec<Vec<usize>> {
    let of = |note: u8| (0..part.hits().len()).filter(|&row| part.hits()[row].note.get() == note).collect();
    vec![of(42), of(38)]
}

fn velocity(value: u8) -> Velocity {
    Velocity::new(value).unwrap()
}

/// Ms that each hit moved.
fn moves(part: &Part, action: Action) -> Vec<f64> {
    play(part, action).iter().zip(part.hits()).map(|(now, was)| (now.tick.0 - was.tick.0) / 1.92).collect()
}

/// Ms from the nearest 16th.
fn offset(tick: f64) -> f64 {
    (tick - (tick / 240.0).round() * 240.0) / 1.92
}

proptest! {
    #[test]
    fn set_makes_all_equal(part in parts(), to in 1..=127u8) {
        let set = Action::Set(Set { to: velocity(to), ..Set::default() });
        prop_assert!(velocities(&part, set).iter().all(|&now| now == i32::from(to)));
    }

    #[test]
    fn limits_hold_and_squeezing_reaches_both(part in parts(), low in 1..60u8, high in 61..=127u8) {
        for how in [LimitsHow::Clip, LimitsHow::Squeeze] {
            let limits = Action::Limits(Limits { floor: velocity(low), ceiling: velocity(high), how });
            let now = velocities(&part, limits);
            prop_assert!(now.iter().all(|now| (i32::from(low)..=i32::from(high)).contains(now)));
            let was = written(&part);
            for rows in instruments(&part) {
                let differ = rows.iter().any(|&row| was[row] != was[rows[0]]);
                if how == LimitsHow::Squeeze && differ {
                    prop_assert!(rows.iter().any(|&row| now[row] == i32::from(low)));
                    prop_assert!(rows.iter().any(|&row| now[row] == i32::from(high)));
                }
            }
        }
    }

    #[test]
    fn draws_and_changes_by_dice_stay_in_their_range(part in parts(), from in 1..60u8, more in 0..60u8, by in 0.0..40.0) {
        let (low, high) = (i32::from(from), i32::from(from + more));
        let draw = Draw { from: from.into(), to: (from + more).into(), ..Draw::default() };
        prop_assert!(velocities(&part, Action::Draw(draw)).iter().all(|now| (low..=high).contains(now)));
        let vary = Action::Vary(Vary { by, ..Vary::default() });
        for (now, was) in velocities(&part, vary).iter().zip(written(&part)) {
            prop_assert!(f64::from((now - was).abs()) <= by + 0.5);
        }
    }

    #[test]
    fn neighbours_differ_by_what_was_asked_for(part in parts(), least in 1..20i32) {
        let action = Action::NoTwins(NoTwins { least: f64::from(least), moves: TwinsMove::Anywhere });
        let now = velocities(&part, action);
        for rows in instruments(&part) {
            for pair in rows.windows(2) {
                let apart = (now[pair[0]] - now[pair[1]]).abs();
                prop_assert!(apart >= least, "{apart} of {least}: {now:?}");
            }
        }
    }

    #[test]
    fn a_layer_holds_what_was_drawn_into_it(part in parts(), which in 0..4usize) {
        let (name, low) = LAYERS[which];
        let high = LAYERS.get(which + 1).map_or(127, |next| next.1 - 1);
        let layer = Action::Layer(Layer { layer: name.to_owned(), ..Layer::default() });
        let now = velocities(&part, layer);
        prop_assert!(now.iter().all(|now| (i32::from(low)..=i32::from(high)).contains(now)), "{name}: {now:?}");
    }

    #[test]
    fn a_swell_adds_a_line_and_nothing_else(part in parts(), from in -40.0..40.0, to in -40.0..40.0) {
        let now = velocities(&part, Action::Swell(Swell { from, to, ..Swell::default() }));
        let (least, most) = (f64::min(from, to), f64::max(from, to));
        for (now, was) in now.iter().zip(written(&part)) {
            let by = f64::from(now - was);
            let held = *now == 1 || *now == 127;
            prop_assert!(held || (by >= least - 0.51 && by <= most + 0.51), "{by}");
        }
    }

    #[test]
    fn a_shape_has_the_asked_for_middle(part in parts(), handles in handles(), own in prop_oneof![Just(0.0), Just(100.0)]) {
        let shape = Shape { own: Percent(own), ..Shape::straight(handles) };
        let now = velocities(&part, Action::Shape(shape));
        for rows in instruments(&part).into_iter().filter(|rows| rows.len() % 2 == 1) {
            let mut own: Vec<i32> = rows.iter().map(|&row| now[row]).collect();
            own.sort_unstable();
            prop_assert_eq!(f64::from(own[own.len() / 2]), handles[1]);
        }
    }

    #[test]
    fn handles_at_rest_change_nothing(part in parts(), follow in 0.0..=100.0) {
        let was = written(&part);
        let unset = Shape { soft: None, typical: None, hard: None, follow: Percent(follow), ..Shape::default() };
        prop_assert_eq!(&velocities(&part, Action::Shape(unset)), &was);
        for rows in instruments(&part) {
            let mut own: Vec<f64> = rows.iter().map(|&row| f64::from(was[row])).collect();
            own.sort_by(f64::total_cmp);
            let standing = [0.1, 0.5, 0.9].map(|share| quantile(&own, share));
            let rest = Shape { own: Percent(100.0), ..Shape::straight(standing) };
            let now = velocities(&part, Action::Shape(rest));
            for row in rows {
                prop_assert_eq!(now[row], was[row]);
            }
        }
    }

    #[test]
    fn a_bent_part_keeps_its_order_and_meets_its_handles(part in parts(), handles in handles()) {
        let was = written(&part);
        let now = velocities(&part, Action::Shape(Shape { own: Percent(100.0), ..Shape::straight(handles) }));
        for mut rows in instruments(&part).into_iter().filter(|rows| !rows.is_empty()) {
            rows.sort_by_key(|&row| (was[row], now[row]));
            prop_assert!(rows.is_sorted_by_key(|&row| now[row]), "the order is kept");
            // Where hits stand at both sides of a handle, near it.
            let at = |places: &[i32], share: f64| {
                let ascending: Vec<f64> = rows.iter().map(|&row| f64::from(places[row])).collect();
                quantile(&ascending, share)
            };
            let [soft, typical, hard] = [0.1, 0.5, 0.9].map(|share| at(&was, share));
            for (share, handle) in [0.1, 0.5, 0.9].into_iter().zip(handles) {
                let place = share * (rows.len() - 1) as f64;
                let (below, above) = (was[rows[place as usize]], was[rows[place.ceil() as usize]]);
                let apart = soft < typical && typical < hard;
                if apart && below == above {
                    prop_assert!((at(&now, share) - handle).abs() <= 1.0, "{share}: {} for {handle}", at(&now, share));
                }
            }
        }
    }

    #[test]
    fn a_matched_part_has_the_quantiles_of_its_reference(part in parts(), other in parts()) {
        let ppq = Ppq::new(960).unwrap();
        let metre = MetreMap::new(ppq, []);
        let chart = Chart::new(&other, Kit::of_drums(&other));
        let played = play(&other, Action::Set(Set { amount: Percent(0.0), ..Set::default() }));
        let reference = TouchProfile::of("another", &chart, &metre, &played);
        let now = velocities(&part, Action::Match(Match { reference: reference.clone(), amount: Percent(100.0) }));
        for (rows, id) in instruments(&part).into_iter().zip(["closed-hat", "snare"]) {
            let touch = reference.instruments.iter().find(|touch| touch.instrument.as_str() == id);
            for row in rows {
                let Some(touch) = touch else {
                    prop_assert_eq!(now[row], written(&part)[row], "an instrument without a reference stays");
                    continue;
                };
                let spreads = touch.slots.values().chain([&touch.all]);
                let inside = |spread: &Quantiles| {
                    f64::from(now[row]) >= spread.at(0.0) - 0.51 && f64::from(now[row]) <= spread.at(1.0) + 0.51
                };
                prop_assert!(spreads.into_iter().any(inside));
            }
        }
    }

    #[test]
    fn a_full_pull_leaves_nothing_off_the_grid(part in parts(), swing in 40.0..60.0) {
        let straight = Pull { strength: Percent(100.0), forgive: Millis(0.0), ..Pull::default() };
        for hit in play(&part, Action::Pull(straight.clone())) {
            prop_assert!(offset(hit.tick.0).abs() < 0.3);
        }
        // What is then swung lies on the lines of a swung pull.
        let swung = play(&part, Action::Pull(Pull { swing: Percent(swing), ..straight }));
        for hit in swung {
            let pair = hit.tick.0.rem_euclid(480.0);
            prop_assert!(pair < 0.51 || (pair - 4.8 * swing).abs() < 0.51 || pair > 479.4, "{pair}");
        }
    }

    #[test]
    fn forgiven_and_far_hits_stay_and_chance_stays_in_its_range(
        part in parts(), forgive in 0.0..8.0, reach in 6.0..12.0, residue in 0.0..3.0
    ) {
        let pull = Pull {
            strength: Percent(100.0),
            forgive: Millis(forgive),
            reach: Some(Millis(reach)),
            residue: Millis(residue),
            ..Pull::default()
        };
        for (now, was) in play(&part, Action::Pull(pull)).iter().zip(part.hits()) {
            let off = offset(was.tick.0).abs();
            if off <= forgive || off > reach {
                prop_assert_eq!(now.tick, was.tick);
            } else {
                prop_assert!(offset(now.tick.0).abs() <= residue + 0.3);
            }
        }
    }

    #[test]
    fn pulling_less_leaves_more(part in parts(), less in 0.0..50.0, more in 50.0..100.0) {
        let left = |strength| {
            let pull = Pull { strength: Percent(strength), forgive: Millis(0.0), ..Pull::default() };
            play(&part, Action::Pull(pull)).iter().map(|hit| offset(hit.tick.0).abs()).collect::<Vec<f64>>()
        };
        for (less, more) in left(less).iter().zip(left(more)) {
            prop_assert!(more <= less + 0.6);
        }
    }

    #[test]
    fn looseness_and_drift_stay_in_their_range(part in parts(), early in 0.0..10.0, late in 0.0..10.0, wander in 0.0..20.0) {
        let loosen = Loosen { early: Millis(early), late: Millis(late), wander: Millis(wander), ..Loosen::default() };
        for by in moves(&part, Action::Loosen(loosen)) {
            prop_assert!(by >= -early - wander - 0.6 && by <= late + wander + 0.6, "{by}");
        }
    }

    #[test]
    fn swing_moves_second_cells_late_and_first_ones_not(part in parts(), to in 50.0..80.0) {
        let straight = play(&part, Action::Pull(Pull { strength: Percent(100.0), forgive: Millis(0.0), ..Pull::default() }));
        let on_grid = Part::new(part.hits().iter().zip(&straight).map(|(hit, now)| Hit { tick: now.tick, ..*hit }).collect());
        for (by, hit) in moves(&on_grid, Action::Swing(Swing { to: Percent(to), ..Swing::default() })).iter().zip(on_grid.hits()) {
            let second = (hit.tick.0 / 240.0) as i64 % 2 == 1;
            let expected = if second { 480.0 * (to - 50.0) / 100.0 / 1.92 } else { 0.0 };
            prop_assert!((by - expected).abs() < 0.3, "{by} for {expected}");
        }
    }

    #[test]
    fn lengths_are_what_was_asked_for(part in parts(), share in 10.0..300.0, time in 5.0..60.0) {
        let own = play(&part, Action::Length(Length { share: Percent(share), ..Length::default() }));
        let set = play(&part, Action::Length(Length { of: LengthOf::Set, time: Millis(time), ..Length::default() }));
        for (own, set) in own.iter().zip(&set) {
            // What would sound into the next hit of its note is cut there.
            prop_assert!((own.length.0 - 0.6 * share).abs() <= 0.6 || own.length.0 < 0.6 * share);
            prop_assert!((set.length.0 - 1.92 * time).abs() <= 0.6 || set.length.0 < 1.92 * time);
        }
        let next = play(&part, Action::Length(Length { of: LengthOf::Next, ..Length::default() }));
        for rows in instruments(&part) {
            for pair in rows.windows(2) {
                prop_assert_eq!(next[pair[0]].tick + next[pair[0]].length, next[pair[1]].tick, "up to the next");
            }
        }
    }
}
