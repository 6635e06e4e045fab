//! The invariants of the engine, each a property test of its name.

use proptest::collection::vec;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::slice;
use vivida_core::action::{
    Accents, Arc, ArcLine, ArcPoint, ArcSections, BleedPairs, ByHand, Contrast, ContrastAround, Curve, Drag, Draw,
    Drifts, Fan, FanOrder, FastHands, Flam, Ghosts, GivesUp, Groove, GrooveTempo, GrooveVoice, HandHit, HandMove,
    Humanize, HumanizeHow, LaneAnchor, LaneLine, LaneOffset, LaneScale, LaneSmooth, LaneThin, Layer, Lean, LeaveFree,
    Length, LengthOf, Level, Limits, LimitsHow, Loosen, Match, NoTwins, Odds, Pocket, PocketId, PocketSettings, Pull,
    PullLines, Recolour, Rescue, Roll, RollCut, RollMain, RollOver, Set, Shape, Silence, Spread, Sticking,
    StickingAcross, StickingPattern, StickingStart, Strays, Swap, SwapTo, Swell, SwellOf, Swing, Vary, VaryHow,
    Wanders, Way,
};
use vivida_core::*;

const NOTES: [u8; 6] = [36, 38, 40, 42, 46, 99];
const IDS: [&str; 9] =
    ["kick", "snare", "closed-hat", "open-hat", "note-99", "ride-1", "my-kick", "my-snare", "my-hat"];

/// Songs and parts of them: read by General MIDI, by a kit of one's own with ids and channels that nobody else has, or
/// by one with strokes for both hands; in metres that change; with lanes; far from the start.
pub(crate) fn songs() -> impl Strategy<Value = (Song, Part)> {
    (0..3usize, 0..3usize, any::<bool>(), prop_oneof![3 => Just(0.0), 1 => Just(200_000.0)], parts()).prop_map(
        |(kit, metres, lanes, late, part)| {
            let song = Song::of(kit, metres, lanes);
            let channel = |hit: &Hit| match kit {
                1 => Channel::new(hit.note.get() % 3).unwrap(),
                _ => hit.channel,
            };
            let moved = |hit: &Hit| Hit { tick: Ticks(hit.tick.0 + late), channel: channel(hit), ..*hit };
            (song, Part::new(part.hits().iter().map(moved).collect()))
        },
    )
}

/// A kit as somebody made it: its own ids, strokes on channels of their own, hats that choke one another.
fn own_kit() -> Kit {
    let way =
        |name: &str, note: u8, channel: Option<u8>| serde_json::json!({"name": name, "note": note, "channel": channel});
    let one = |id: &str, family: &str, limb: &str, choke: Option<&str>, ways: Vec<serde_json::Value>| serde_json::json!({"id": id, "name": id, "family": family, "limb": limb, "choke": choke, "articulations": ways});
    let kit = serde_json::json!({"name": "My own", "instruments": [
        one("my-kick", "kick", "right-foot", None, vec![way("beater", 36, Some(0))]),
        one("my-snare", "snare", "left-hand", None, vec![way("head", 38, Some(2)), way("rim", 40, Some(1))]),
        one("my-hat", "hat", "right-hand", Some("hats"), vec![way("closed", 42, Some(0)), way("open", 46, None)]),
    ]});
    serde_json::from_value(kit).unwrap()
}

/// Hits of few notes and small distances, so that they often collide.
fn parts() -> impl Strategy<Value = Part> {
    vec((0..6usize, 0..4000u32, 1..500u32, 1..=127u8), 0..60).prop_map(|hits| {
        let hit = |(id, (note, tick, length, velocity)): (usize, (usize, u32, u32, u8))| Hit {
            id: HitId::new(id as u32),
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

pub(crate) fn instruments() -> impl Strategy<Value = Vec<InstrumentId>> {
    vec(0..IDS.len(), 0..3).prop_map(|places| places.into_iter().map(|index| InstrumentId::new(IDS[index])).collect())
}

fn near() -> impl Strategy<Value = Option<Near>> {
    let near =
        (instruments(), 0.0..300.0).prop_map(|(instruments, within)| Near { instruments, within: Millis(within) });
    seldom(near)
}

fn seldom<S: Strategy>(strategy: S) -> impl Strategy<Value = Option<S::Value>>
where
    S::Value: Clone,
{
    proptest::option::weighted(0.2, strategy)
}

pub(crate) fn aims() -> impl Strategy<Value = Aim> {
    let bars = vec((1..3u32, 0..2u32), 0..2)
        .prop_map(|bars| bars.into_iter().map(|(from, more)| BarRange { from, to: from + more }).collect());
    let grids = prop_oneof![Just("1/8"), Just("1/16"), Just("1/8 triplet"), Just("1/16 5:4")];
    let positions = (grids, vec(1..12u32, 0..5), 1..3u32, 0.0..50.0).prop_map(|(grid, slots, bars, tolerance)| {
        Positions { grid: grid.parse().unwrap(), slots, bars, tolerance: Percent(tolerance) }
    });
    let velocity = [velocities(), velocities()].prop_map(|mut ends| {
        ends.sort();
        VelocityRange { from: ends[0], to: ends[1] }
    });
    let speed = (proptest::option::of(0.0..500.0), any::<bool>()).prop_map(|(most, by_limb)| Speed {
        at_most: most.map(Millis),
        by_limb,
        ..Speed::default()
    });
    let places =
        [RunPlace::First, RunPlace::Last, RunPlace::Odd, RunPlace::Even, RunPlace::Every, RunPlace::AllButFirst];
    let run = (0..6usize, 2..5u32, 1.0..600.0).prop_map(move |(place, every, gap)| Run {
        place: places[place],
        every,
        gap: Millis(gap),
    });
    let picked = vec(0..60u32, 0..20).prop_map(|ids| ids.into_iter().map(HitId::new).collect());
    let sections = vec(prop_oneof![Just("Verse"), Just("Fill"), Just("Moon")], 0..2)
        .prop_map(|names| names.into_iter().map(str::to_owned).collect());
    let stretches = (bars, seldom(sections).prop_map(Option::unwrap_or_default));
    let where_it_is = (instruments(), stretches, seldom(positions), seldom(velocity), seldom(speed));
    let hand = seldom(prop_oneof![Just(Side::Left), Just(Side::Right)]);
    let chord = seldom(prop_oneof![
        Just(ChordPlace::Any),
        Just(ChordPlace::Top),
        Just(ChordPlace::Bottom),
        Just(ChordPlace::Inner)
    ]);
    let channels =
        seldom(vec((0..16u8).prop_map(|one| Channel::new(one).unwrap()), 1..4)).prop_map(Option::unwrap_or_default);
    let grace = seldom(prop_oneof![Just(GraceNotes::Only), Just(GraceNotes::None), Just(GraceNotes::Led)]);
    let struck = (hand, chord, grace, channels);
    let how_it_is = (seldom(run), struck, near(), near(), seldom(0.0..100.0), seldom(picked), any::<bool>());
    (where_it_is, how_it_is).prop_map(
        |(
            (instruments, (bars, sections), positions, velocity, speed),
            (run, (hand, chord, grace, channels), with, without, share, picked, invert),
        )| {
            Aim {
                hand,
                chord,
                grace,
                channels,
                instruments,
                bars,
                sections,
                positions,
                velocity,
                speed,
                run,
                with,
                without,
                share: share.map(Percent),
                picked,
                invert,
                ..Aim::default()
            }
        },
    )
}

fn velocities() -> impl Strategy<Value = Velocity> {
    (1..=127u8).prop_map(|value| Velocity::new(value).unwrap())
}

fn shapes() -> impl Strategy<Value = Shape> {
    let set = any::<[bool; 3]>();
    let shares = (0..=100u8, 0..=100u8, prop_oneof![Just(0u8), Just(100), 0..=100u8]);
    ([velocities(), velocities(), velocities()], set, shares).prop_map(|(mut handles, set, (amount, follow, own))| {
        handles.sort();
        let handles = handles.map(|one| f64::from(one.get()));
        let [soft, typical, hard] = std::array::from_fn(|one| set[one].then_some(handles[one]));
        let [amount, follow, own] = [amount, follow, own].map(|share| Percent(f64::from(share)));
        Shape { soft, typical, hard, own, amount, follow, ..Shape::default() }
    })
}

fn tidy() -> impl Strategy<Value = Action> {
    let strays = (0.0..64.0, 0.0..100.0, 0.0..80.0, 0.0..30.0, 1.0..100.0, any::<bool>()).prop_map(
        |(softer, shorter, again, bleed, share, any_pair)| {
            let pairs = if any_pair { BleedPairs::Any } else { BleedPairs::Likely };
            let (shorter, again, bleed) = (Millis(shorter), Millis(again), Millis(bleed));
            Action::Strays(Strays { softer, shorter, again, bleed, share: Percent(share), pairs })
        },
    );
    let rescue = (0..3usize, 0.0..100.0, 0.0..300.0, 0.0..300.0).prop_map(|(gives, together, travel, again)| {
        let gives = [GivesUp::Least, GivesUp::Softest, GivesUp::Nothing][gives];
        let again = Millis(again);
        Action::Rescue(Rescue { gives, together: Millis(together), travel: Millis(travel), hand: again, foot: again })
    });
    prop_oneof![strays, rescue, Just(Action::Silence(Silence {}))]
}

pub(crate) fn actions() -> impl Strategy<Value = Action> {
    prop_oneof![
        shapes().prop_map(Action::Shape),
        (0.0..400.0, proptest::option::of(velocities())).prop_map(|(contrast, pivot)| Action::Contrast(Contrast {
            contrast: Percent(contrast),
            pivot,
            ..Contrast::default()
        })),
        (-126.0..126.0).prop_map(|by| Action::Level(Level { by })),
        leans().prop_map(Action::Lean),
        grooves().prop_map(Action::Groove),
        (0..3u32, 0.0..200.0).prop_map(|(pocket, strength)| Action::Pocket(Pocket {
            pocket: PocketId(pocket),
            strength: Percent(strength)
        })),
        (0.0..100.0, 0.0..100.0, any::<bool>()).prop_map(|(early, late, bell)| {
            let spread = if bell { Spread::Bell } else { Spread::Even };
            Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread, ..Loosen::default() })
        }),
        (0.0..64.0, 0.0..100.0, -100.0..100.0, 0..3usize).prop_map(|(velocity, timing, bias, how)| {
            let how = [HumanizeHow::Bell, HumanizeHow::Even, HumanizeHow::Drifting][how];
            let (timing, bias) = (Millis(timing), Millis(bias));
            Action::Humanize(Humanize { velocity, timing, bias, lengths: Percent(timing.0 / 2.0), how })
        }),
        ranges().prop_map(|(floor, ceiling)| Action::Limits(Limits { floor, ceiling, how: LimitsHow::Squeeze })),
        (ranges(), 0.0..100.0).prop_map(|((from, to), amount)| Action::Draw(Draw {
            from: f64::from(from.get()),
            to: f64::from(to.get()),
            amount: Percent(amount),
            ..Draw::default()
        })),
        (0..4usize, 0..5usize).prop_map(|(column, start)| Property::MOVEMENT[column].info().starts[start].clone()),
        (velocities(), 0.0..100.0).prop_map(|(to, amount)| Action::Set(Set { to, amount: Percent(amount) })),
        (0.0..64.0).prop_map(|by| Action::Vary(Vary { by, ..Vary::default() })),
        vec(-64.0..64.0, 0..20).prop_map(|pattern| Action::Accents(Accents { pattern, ..Accents::default() })),
        (-126.0..127.0, -126.0..127.0, any::<bool>()).prop_map(|(from, to, level)| {
            let of = if level { SwellOf::Level } else { SwellOf::Change };
            Action::Swell(Swell { from, to, of, ..Swell::default() })
        }),
        arcs().prop_map(Action::Arc),
        (0.0..40.0, 20.0..1000.0, 0..6u32).prop_map(|(softer, gap, climb)| Action::FastHands(FastHands {
            softer,
            reference: Millis(gap),
            climb
        })),
        (0.0..40.0).prop_map(|least| Action::NoTwins(NoTwins { least, ..NoTwins::default() })),
        (parts(), 0.0..100.0)
            .prop_map(|(part, amount)| Action::Match(Match { reference: touch_of(&part), amount: Percent(amount) })),
        Just(Action::Layer(Layer::default())),
        pulls().prop_map(Action::Pull),
        (25.0..80.0, grids()).prop_map(|(to, grid)| Action::Swing(Swing { to: Percent(to), grid })),
        (0.0..60.0, 1.0..60.0, any::<bool>()).prop_map(|(over, within, diced)| {
            let order = if diced { FanOrder::Diced } else { FanOrder::FeetFirst };
            Action::Fan(Fan { over: Millis(over), within: Millis(within), order })
        }),
        (1.0..400.0, any::<bool>()).prop_map(|(share, next)| {
            let of = if next { LengthOf::Next } else { LengthOf::Own };
            Action::Length(Length { share: Percent(share), of, ..Length::default() })
        }),
        (0.0..50.0, 1.0..8.0).prop_map(|(wander, period)| Action::Loosen(Loosen {
            wander: Millis(wander),
            period,
            wanders: Wanders::Apart,
            ..Loosen::default()
        })),
        hands(),
        by_hand().prop_map(Action::ByHand),
    ]
}

fn hands() -> impl Strategy<Value = Action> {
    let curves = proptest::sample::select(vec![Curve::Straight, Curve::Late, Curve::Early]);
    let strokes = proptest::sample::select(vec!["side stick", "bell", "closed", "nothing of the kind"]);
    prop_oneof![
        (
            proptest::sample::subsequence((-8..=8).filter(|slot| *slot != 0).collect::<Vec<i32>>(), 0..6),
            ranges(),
            grids(),
            0.0..100.0,
            0..3u8
        )
            .prop_map(|(slots, (from, to), grid, odds, free)| Action::Ghosts(Ghosts {
                grid,
                slots,
                from,
                to,
                odds: Percent(odds),
                free: [LeaveFree::None, LeaveFree::Kick, LeaveFree::Others][usize::from(free)],
            })),
        (8.0..120.0, 0.0..120.0)
            .prop_map(|(before, share)| Action::Flam(Flam { before: Millis(before), share: Percent(share) })),
        (16.0..240.0, 0.0..120.0)
            .prop_map(|(before, share)| Action::Drag(Drag { before: Millis(before), share: Percent(share) })),
        ((any::<bool>(), any::<bool>(), any::<bool>()), 1.0..20.0, (grids(), grids()), 1.0..150.0, 1.0..150.0, curves)
            .prop_map(|((by_grid, next, last), strokes, (grid, length), from, to, curve)| Action::Roll(Roll {
                cut: if by_grid { RollCut::Grid } else { RollCut::Strokes },
                strokes,
                grid,
                over: if next { RollOver::Next } else { RollOver::Length },
                length,
                from: Percent(from),
                to: Percent(to),
                curve,
                main: if last { RollMain::Last } else { RollMain::First },
            })),
        ("[RL]{1,9}", any::<bool>(), any::<bool>(), 0.0..40.0, 0.0..30.0).prop_map(
            |(word, bar, apart, softer, late)| {
                Action::Sticking(Sticking {
                    pattern: StickingPattern::Own,
                    word,
                    start: if bar { StickingStart::Bar } else { StickingStart::Run },
                    across: if apart { StickingAcross::Apart } else { StickingAcross::Drums },
                    softer,
                    late: Millis(late),
                    ..Sticking::default()
                })
            }
        ),
        (strokes.clone(), 0..3u8, -48.0..48.0).prop_map(|(stroke, to, keys)| Action::Swap(Swap {
            to: [SwapTo::Stroke, SwapTo::Instrument, SwapTo::Keys][usize::from(to)],
            stroke: stroke.to_owned(),
            instrument: InstrumentId::new("snare"),
            keys,
        })),
        (vec((proptest::option::of(strokes), -9..9i32, 0.0..100.0), 1..5), proptest::option::of(1.0..4.0)).prop_map(
            |(ways, running)| {
                let way = |(stroke, keys, odds): (Option<&str>, i32, f64)| Way {
                    stroke: stroke.map(str::to_owned),
                    keys,
                    odds,
                };
                Action::Recolour(Recolour { ways: ways.into_iter().map(way).collect(), running })
            }
        ),
        (0.0..100.0).prop_map(|sounds| Action::Odds(Odds { sounds: Percent(sounds) })),
        tidy(),
        (0.0..64.0, 0.0..2.0).prop_map(|(by, slowness)| Action::Vary(Vary {
            by,
            how: VaryHow::Natural,
            slowness,
            ..Vary::default()
        })),
        (0.0..50.0, 0.0..2.0, any::<bool>()).prop_map(|(wander, slowness, apart)| Action::Loosen(Loosen {
            wander: Millis(wander),
            slowness,
            drifts: Drifts::Natural,
            wanders: if apart { Wanders::Apart } else { Wanders::Together },
            ..Loosen::default()
        })),
    ]
}

fn arcs() -> impl Strategy<Value = Arc> {
    let points = vec((0.1..3.0, -64.0..64.0), 0..8).prop_map(|steps| {
        let mut bar = 0.9;
        let point = |(step, by)| {
            bar += step;
            ArcPoint { bar, by }
        };
        steps.into_iter().map(point).collect()
    });
    (points, any::<bool>(), any::<bool>(), 0.0..200.0).prop_map(|(points, smooth, joined, amount)| Arc {
        points,
        line: if smooth { ArcLine::Smooth } else { ArcLine::Straight },
        sections: if joined { ArcSections::Joined } else { ArcSections::Apart },
        amount: Percent(amount),
    })
}

fn leans() -> impl Strategy<Value = Lean> {
    (-200.0..200.0, -50.0..50.0, grids()).prop_map(|(by, share, grid)| Lean {
        by: Millis(by),
        share: Percent(share),
        grid,
    })
}

fn profiles() -> impl Strategy<Value = GrooveProfile> {
    let slot = (-0.5..0.5, 0.0..0.3, 0.1..3.0, 0.0..0.5, 0.1..3.0).prop_map(
        |(offset, spread, velocity, velocity_spread, length)| GrooveSlot {
            count: 1,
            offset,
            spread,
            velocity,
            velocity_spread,
            length,
        },
    );
    let slots = || proptest::collection::btree_map(1..9u32, slot.clone(), 0..9);
    (slots(), slots(), 1..3u32, 40.0..240.0, any::<bool>()).prop_map(|(together, hats, bars, tempo, odd)| {
        let metre = if odd { Metre::new(7, 8) } else { Metre::new(4, 4) };
        GrooveProfile {
            name: "any".to_owned(),
            bars,
            metre: metre.unwrap(),
            grid: "1/8 triplet".parse().unwrap(),
            tempo,
            together,
            families: [(Family::Hat, hats)].into(),
        }
    })
}

/// Grooves of one voice whose accents average 1, as those that are taken do.
fn even_grooves() -> impl Strategy<Value = GrooveProfile> {
    let slots = proptest::collection::btree_map(1..29u32, (-0.45..0.45, 0.6..1.6), 1..20);
    let grids = prop_oneof![Just("1/16"), Just("1/8 triplet"), Just("1/16 5:4")];
    (slots, grids, any::<bool>()).prop_map(|(slots, grid, odd)| {
        let metre = if odd { Metre::new(7, 8) } else { Metre::new(4, 4) }.unwrap();
        let empty = GrooveProfile { bars: 2, grid: grid.parse().unwrap(), metre, ..GrooveProfile::default() };
        // Left out is what lies beyond the groove and, where the last slot of a bar is a short one, what would be
        // nearer to a line across the bar line.
        let short = empty.bar_cells().fract() > 1e-6;
        let fits = |slot: u32, offset: f64| {
            let in_bar = (slot - 1) % empty.slots_a_bar();
            let by_the_bar_line = in_bar == 0 || in_bar + 1 == empty.slots_a_bar();
            slot <= empty.slots() && (!short || !by_the_bar_line || offset.abs() < 0.1)
        };
        let mut slots: BTreeMap<u32, (f64, f64)> =
            slots.into_iter().filter(|(slot, (offset, _))| fits(*slot, *offset)).collect();
        slots.entry(1).or_insert((0.05, 1.0));
        let level = slots.values().map(|(_, velocity)| velocity).sum::<f64>() / slots.len() as f64;
        let slot = |(number, (offset, velocity)): (u32, (f64, f64))| {
            (number, GrooveSlot { offset, velocity: velocity / level, ..GrooveSlot::default() })
        };
        let together = slots.into_iter().map(slot).collect();
        GrooveProfile { together, ..empty }
    })
}

fn grooves() -> impl Strategy<Value = Groove> {
    let shares = [0.0..200.0, 0.0..200.0, 0.0..100.0, 0.0..100.0, 0.0..200.0];
    let voices = prop_oneof![Just(GrooveVoice::Own), Just(GrooveVoice::Together), Just(GrooveVoice::Hat)];
    let tempos = prop_oneof![Just(GrooveTempo::Scaled), Just(GrooveTempo::Millis)];
    (profiles(), shares, voices, tempos).prop_map(|(groove, shares, voice, tempo)| {
        let [timing, touch, liveliness, pull, lengths] = shares.map(Percent);
        Groove { groove, voice, timing, touch, liveliness, pull, lengths, tempo }
    })
}

/// The touch of a part as it is written.
pub(crate) fn touch_of(part: &Part) -> TouchProfile {
    let song = Song::of(0, 0, false);
    let chart = song.chart(part);
    let performance = perform(part, &chart, &Recipe::default(), &song.context(1));
    TouchProfile::of("A reference", &chart, &song.metre, &performance.written)
}

fn grids() -> impl Strategy<Value = Grid> {
    prop_oneof![Just("1/8"), Just("1/16"), Just("1/8 triplet"), Just("1/4 dotted"), Just("1/16 5:4")]
        .prop_map(|grid| grid.parse().unwrap())
}

fn pulls() -> impl Strategy<Value = Pull> {
    let reach = proptest::option::of(0.0..200.0);
    let shares = (25.0..80.0, -100.0..100.0, 0.0..100.0, 0.0..100.0);
    let lines = prop_oneof![Just(PullLines::Grid), Just(PullLines::Own)];
    let also = (grids(), prop_oneof![Just(0.0), 0.0..200.0]);
    let all = (lines, grids(), also, shares, 0.0..30.0, reach, 0.0..20.0);
    all.prop_map(|(lines, grid, also, shares, forgive, reach, residue)| Pull {
        lines,
        also: also.0,
        also_reach: Millis(also.1),
        grid,
        swing: Percent(shares.0),
        strength: Percent(shares.1),
        forgive: Millis(forgive),
        reach: reach.map(Millis),
        residue: Millis(residue),
        ends: Percent(shares.2),
        lengths: Percent(shares.3),
    })
}

fn ranges() -> impl Strategy<Value = (Velocity, Velocity)> {
    (velocities(), velocities()).prop_map(|(a, b)| (a.min(b), a.max(b)))
}

fn by_hand() -> impl Strategy<Value = ByHand> {
    let moved = vec((0..60u32, -126.0..126.0, -900.0..900.0), 0..5).prop_map(|moves| {
        let one = |(hit, velocity, time)| HandMove {
            velocity,
            time: Millis(time),
            movement: Movement { pitch: velocity as f32, ..Movement::NONE },
            ..HandMove::of(HitId::new(hit))
        };
        moves.into_iter().map(one).collect()
    });
    let added = vec((0..4000u32, 1..500u32, 0..6usize, velocities()), 0..4).prop_map(|hits| {
        let one = |(id, (tick, length, note, velocity)): (u32, (u32, u32, usize, Velocity))| HandHit {
            id: HitId::new((1 << 30) + id),
            tick: Ticks(f64::from(tick)),
            length: Ticks(f64::from(length)),
            velocity,
            note: Note::new(NOTES[note]).unwrap(),
            channel: Channel::PERCUSSION,
        };
        (0..).zip(hits).map(one).collect()
    });
    let removed = vec(0..60u32, 0..5).prop_map(|ids| ids.into_iter().map(HitId::new).collect());
    let recalled = vec(0..60u32, 0..3).prop_map(|ids| ids.into_iter().map(HitId::new).collect());
    (moved, removed, recalled, added).prop_map(|(moved, removed, recalled, added)| ByHand {
        moved,
        removed,
        recalled,
        added,
    })
}

pub(crate) fn recipes() -> impl Strategy<Value = Recipe> {
    let passes = vec((aims(), actions(), any::<bool>()), 0..6);
    // Every other recipe has a group.
    let group = proptest::option::of((0..6usize, 1..6usize, any::<bool>(), 0..=150u8));
    (passes, group).prop_map(|(passes, group)| {
        let pass = |(id, (aim, action, on))| Pass { on, ..Pass::new(id, aim, action) };
        let mut recipe = Recipe::of((1..).zip(passes).map(pass).collect());
        if let Some((from, many, on, amount)) = group {
            let amount = Percent(f64::from(amount));
            recipe.groups.push(Group { on, amount, ..Group::new(GroupId(1), "a group") });
            recipe.passes.iter_mut().skip(from).take(many).for_each(|pass| pass.group = Some(GroupId(1)));
        }
        recipe.tidied()
    })
}

#[derive(Debug)]
pub(crate) struct Song {
    tempo: TempoMap,
    pub metre: MetreMap,
    sections: Vec<Section>,
    pockets: Pockets,
    pub kit: Kit,
    lanes: Vec<Lane>,
}

impl Song {
    fn of(kit: usize, metres: usize, lanes: bool) -> Song {
        let ppq = Ppq::new(960).unwrap();
        let faster = [(Ticks(0.0), 600_000), (Ticks(1500.0), 400_000)];
        let metre = |tick: f64, numerator, denominator| (Ticks(tick), Metre::new(numerator, denominator).unwrap());
        let metres = match metres {
            0 => vec![metre(0.0, 3, 8), metre(1440.0, 2, 4)],
            1 => vec![],
            _ => vec![metre(0.0, 7, 8), metre(3360.0, 4, 4), metre(7200.0, 5, 4)],
        };
        let section = |name: &str, from, to| Section { name: name.to_owned(), from, to };
        let sections = vec![section("Verse", 1, 1), section("Fill", 2, 2), section("Verse", 3, 4)];
        let pocket = PocketSettings {
            pull: Pull { strength: Percent(60.0), residue: Millis(3.0), ..Pull::default() },
            swing: Swing { to: Percent(62.0), ..Swing::default() },
            groove: Groove {
                liveliness: Percent(50.0),
                groove: GrooveProfile::own().remove(3).groove,
                ..Groove::default()
            },
            lean: Lean { by: Millis(-7.0), ..Lean::default() },
            loosen: Loosen { wander: Millis(9.0), ..Loosen::default() },
        };
        let pockets = [(PocketId(1), pocket), (PocketId(2), PocketSettings::default())].into();
        let line = |kind| Lane::new(kind, (0..12).map(|n| (f64::from(n) * 331.0, f64::from(n * 37 % 128))).collect());
        let lanes = if lanes { vec![line(LaneKind::PEDAL), line(LaneKind::EXPRESSION)] } else { Vec::new() };
        let kit = match kit {
            0 => Kit::general_midi(),
            1 => own_kit(),
            _ => KitFile::parse(include_str!("../../../docs/formats/kits/large.kit.json")).unwrap().kit,
        };
        let (tempo, metre) = (TempoMap::new(ppq, faster), MetreMap::new(ppq, metres));
        Song { tempo, metre, sections, pockets, kit, lanes }
    }

    pub fn chart(&self, part: &Part) -> Chart {
        Chart::new(part, self.kit.clone().with_unknown(part))
    }

    fn context(&self, variation: u32) -> Context<'_> {
        Context {
            variation,
            sections: &self.sections,
            pockets: &self.pockets,
            lanes: &self.lanes,
            ..Context::new(&self.tempo, &self.metre)
        }
    }

    pub fn play(&self, part: &Part, recipe: &Recipe, variation: u32) -> Performance {
        perform(part, &self.chart(part), recipe, &self.context(variation))
    }
}

fn plain(part: &Part) -> Vec<PlayedHit> {
    part.hits().iter().map(PlayedHit::as_written).collect()
}

fn one(aim: Aim, action: Action) -> Recipe {
    Recipe::of(vec![Pass::new(1, aim, action)])
}

proptest! {
    #[test]
    fn written_is_untouched((song, part) in songs(), recipe in recipes()) {
        // A chart works out much while passes are played, and keeps it: what it is asked afterwards is what it always was.
        let (used, fresh) = (song.chart(&part), song.chart(&part));
        perform(&part, &used, &recipe, &song.context(3));
        let bare = [&used, &fresh].map(|chart| perform(&part, chart, &Recipe::default(), &song.context(3)));
        prop_assert_eq!(&bare[0].written, &plain(&part));
        prop_assert_eq!(&bare[0], &bare[1]);
        prop_assert_eq!(Measured::written(&part, &used, &song.context(3)), Measured::written(&part, &fresh, &song.context(3)));
    }

    #[test]
    fn same_in_same_out((song, part) in songs(), recipe in recipes(), variation in 0..9u32) {
        let (first, second) = (song.play(&part, &recipe, variation), song.play(&part.clone(), &recipe.clone(), variation));
        for (a, b) in first.hits().zip(second.hits()) {
            prop_assert_eq!(a.tick.0.to_bits(), b.tick.0.to_bits());
            prop_assert_eq!(a.length.0.to_bits(), b.length.0.to_bits());
            prop_assert_eq!(a, b);
        }
        prop_assert_eq!(first.passes, second.passes);
    }

    #[test]
    fn stable_dice((song, part) in songs(), early in 0.0..9.0, late in 0.0..9.0, kept in any::<u64>(), off in 2..20u32) {
        let loosen = |early, late| {
            Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread: Spread::Even, ..Loosen::default() })
        };
        // Each hit on a note of its own that nothing chokes, far from the start: nothing but its dice can move it.
        let song = Song { kit: Kit::general_midi(), ..song };
        let free = |id: HitId| (0..27).chain(88..128).nth(id.get() as usize).map(Note::from_data).unwrap();
        let alone = |hits: &[Hit]| Part::new(hits.iter().map(|hit| Hit {
            note: free(hit.id),
            tick: hit.tick + Ticks(2000.0),
            ..*hit
        }).collect());
        let all = alone(part.hits());
        let some: Vec<Hit> = part.hits().iter().filter(|hit| kept >> (hit.id.get() % 64) & 1 == 1).copied().collect();
        let some = alone(&some);

        let narrow = song.play(&all, &one(Aim::everything(), loosen(early, late)), 5);
        let wide = song.play(&all, &one(Aim::everything(), loosen(2.0 * early, 2.0 * late)), 5);
        for ((hit, near), far) in all.hits().iter().zip(&narrow.written).zip(&wide.written) {
            let (near, far) = (near.tick - hit.tick, far.tick - hit.tick);
            prop_assert!((far.0 - 2.0 * near.0).abs() <= 1.5, "{near:?} became {far:?}");
        }

        // Fewer hits and other passes around it: the hits that are left are not dealt anew.
        let silent = Pass { on: false, ..Pass::new(off, Aim::everything(), loosen(50.0, 50.0)) };
        let level = Pass::new(off + 1, Aim::everything(), Action::Level(Level { by: 5.0 }));
        let recipe = Recipe::of(vec![silent, Pass::new(1, Aim::everything(), loosen(early, late)), level]);
        for played in song.play(&some, &recipe, 5).written {
            let before = narrow.written.iter().find(|hit| hit.id == played.id).unwrap();
            prop_assert_eq!(played.tick, before.tick);
        }
    }

    #[test]
    fn order_kept((song, part) in songs(), recipe in recipes()) {
        let played = song.play(&part, &recipe, 1);
        let added = recipe.passes.iter().filter(|pass| pass.on).flat_map(|pass| match &pass.action {
            Action::ByHand(by_hand) => by_hand.added.clone(),
            _ => Vec::new(),
        });
        // Of two with one id only the first is there.
        let mut ids = BTreeSet::new();
        let added = added.filter(|hit| ids.insert(hit.id));
        // Each sounding hit with where it was written or added, in that order.
        let origins = part.hits().iter().map(|hit| (hit.tick, hit.length, hit.id)).chain(added.map(|hit| (hit.tick, hit.length, hit.id)));
        // As it stands at rest: what was added between two ticks, or before the start, has a place of its own, too.
        let rest = |tick: Ticks| tick.0.round().max(0.0);
        let played: BTreeMap<_, _> = played.hits().map(|hit| (hit.id, hit)).collect();
        let now = origins.filter_map(|was| Some((was, *played.get(&was.2)?)));
        let mut hits: Vec<_> = now.filter(|(_, now)| now.silenced.is_none()).collect();
        hits.sort_by(|(a, _), (b, _)| a.0.0.total_cmp(&b.0.0).then(a.2.cmp(&b.2)));
        for (index, ((tick, length, _), now)) in hits.iter().enumerate() {
            // One note on two channels is two voices.
            let same = |next: &&PlayedHit| (next.note, next.channel) == (now.note, now.channel);
            let Some(((next_tick, ..), next)) = hits[index + 1..].iter().find(|(_, next)| same(next)) else { continue };
            let apart = rest(*next_tick) > rest(*tick);
            let in_order = next.tick > now.tick || (!apart && next.tick == now.tick);
            prop_assert!(in_order, "swapped with the next");
            let as_written = *tick == now.tick && *length == now.length && *next_tick == next.tick;
            if apart && !as_written {
                prop_assert!(now.tick + now.length <= next.tick, "sounds at once with the next");
            }
        }
        // A closed hat chokes an open one where the kit knows both: neither comes to stand before the other.
        let kit = song.chart(&part).kit;
        let lookup = kit.lookup();
        let chokes = |hit: &PlayedHit| lookup.stroke(hit.note, hit.channel).is_some_and(|at| kit.stroke(at).0.choke.is_some());
        let hats: Vec<_> = hits.iter().filter(|(_, now)| chokes(now)).collect();
        for pair in hats.windows(2) {
            let [((was, ..), now), ((next_was, ..), next)] = pair else { unreachable!() };
            prop_assert!(next.tick > now.tick || (rest(*was) == rest(*next_was) && next.tick == now.tick), "a hat overtook another");
        }
    }

    #[test]
    fn in_range((song, part) in songs(), recipe in recipes()) {
        for hit in song.play(&part, &recipe, 2).hits() {
            prop_assert!((1..=127).contains(&hit.velocity.get()));
            prop_assert!(hit.tick >= Ticks(0.0) && hit.tick.0.fract() == 0.0);
            prop_assert!(hit.length >= Ticks(1.0) && hit.length.0.fract() == 0.0);
        }
    }

    #[test]
    fn neutral_is_identity((song, part) in songs(), aim in aims(), shape in shapes(), arc in arcs(), pivot in proptest::option::of(velocities()), groove in profiles()) {
        let neutral = [
            Action::Shape(Shape { amount: Percent(0.0), ..shape }),
            Action::Contrast(Contrast { contrast: Percent(100.0), pivot, around: ContrastAround::Mean }),
            Action::Level(Level { by: 0.0 }),
            Action::Lean(Lean { by: Millis(0.0), ..Lean::default() }),
            Action::Groove(Groove { groove, ..Groove::neutral() }),
            Action::Pocket(Pocket { pocket: PocketId(1), strength: Percent(0.0) }),
            Action::Loosen(Loosen { early: Millis(0.0), late: Millis(0.0), spread: Spread::Bell, ..Loosen::default() }),
            Action::Humanize(Humanize { velocity: 0.0, timing: Millis(0.0), ..Humanize::default() }),
            Action::Pull(Pull { strength: Percent(0.0), ..Pull::default() }),
            Action::Swing(Swing { to: Percent(50.0), ..Swing::default() }),
            Action::Fan(Fan { over: Millis(0.0), ..Fan::default() }),
            Action::Length(Length::default()),
            Action::Set(Set { amount: Percent(0.0), ..Set::default() }),
            Action::Limits(Limits { floor: Velocity::MIN, ceiling: Velocity::MAX, how: LimitsHow::Clip }),
            Action::Match(Match { reference: touch_of(&part), amount: Percent(0.0) }),
            Action::Vary(Vary { by: 0.0, ..Vary::default() }),
            Action::Draw(Draw { amount: Percent(0.0), ..Draw::default() }),
            Action::Accents(Accents { amount: Percent(0.0), ..Accents::default() }),
            Action::Swell(Swell { from: 0.0, to: 0.0, ..Swell::default() }),
            Action::Arc(Arc { amount: Percent(0.0), ..arc }),
            Action::FastHands(FastHands { softer: 0.0, ..FastHands::default() }),
            Action::NoTwins(NoTwins { least: 0.0, ..NoTwins::default() }),
            Action::Layer(Layer { amount: Percent(0.0), ..Layer::default() }),
            Action::Ghosts(Ghosts { odds: Percent(0.0), ..Ghosts::default() }),
            Action::Flam(Flam { share: Percent(0.0), ..Flam::default() }),
            Action::Drag(Drag { share: Percent(0.0), ..Drag::default() }),
            Action::Roll(Roll { strokes: 1.0, ..Roll::default() }),
            Action::Sticking(Sticking { softer: 0.0, late: Millis(0.0), ..Sticking::default() }),
            Action::Swap(Swap { to: SwapTo::Keys, keys: 0.0, ..Swap::default() }),
            Action::Recolour(Recolour { ways: vec![Way { stroke: None, keys: 0, odds: 50.0 }], running: None }),
            Action::Odds(Odds { sounds: Percent(100.0) }),
            Action::Strays(Strays { softer: 0.0, again: Millis(0.0), bleed: Millis(0.0), ..Strays::default() }),
            Action::Rescue(Rescue { gives: GivesUp::Nothing, ..Rescue::default() }),
            Action::LaneLine(LaneLine::default()),
            Action::LaneScale(LaneScale { scale: Percent(100.0), ..LaneScale::default() }),
            Action::LaneOffset(LaneOffset { by: 0.0, ..LaneOffset::default() }),
            Action::LaneSmooth(LaneSmooth { over: Millis(0.0), ..LaneSmooth::default() }),
            Action::LaneThin(LaneThin { within: 0.0, ..LaneThin::default() }),
            Action::LaneAnchor(LaneAnchor { to: GoesWith::Time, ..LaneAnchor::default() }),
            Action::ByHand(ByHand::default()),
        ];
        // Silence has no setting, and so none that is neutral; a ramp and a line that follows draw in any case.
        prop_assert_eq!(neutral.len() + 3, Action::all().len(), "an action without a neutral setting here");
        for action in neutral {
            let kind = action.info().kind;
            let mut played = song.play(&part, &one(aim.clone(), action), 1);
            // Which hand plays what is seen, not heard.
            played.written.iter_mut().for_each(|hit| hit.hand = None);
            if kind == "sticking" {
                // Another hand has strokes of its own where the kit says so, on the same drum; and what is one note
                // then ends where the next one begins.
                let chart = song.chart(&part);
                for (hit, now) in part.hits().iter().zip(&mut played.written) {
                    let drum = |note, channel| chart.instrument_of(note, channel);
                    prop_assert_eq!(drum(hit.note, hit.channel), drum(now.note, now.channel));
                    if (now.note, now.channel) != (hit.note, hit.channel) {
                        prop_assert!(now.length <= hit.length);
                        (now.note, now.channel, now.length) = (hit.note, hit.channel, hit.length);
                    }
                }
                played.passes[0].touched = 0;
            }
            prop_assert_eq!(&played.written, &plain(&part), "{}", kind);
            prop_assert!(played.made.is_empty() && played.lanes.iter().all(|lane| !lane.drawn));
            prop_assert_eq!(played.passes[0].touched, 0);
        }
    }

    #[test]
    fn groove_round_trip(groove in even_grooves(), bars in 1..4u32) {
        // An even part on the grid that has a hit in every slot that the groove knows, from bar 2 on, so
        // that nothing is held at the start.
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, [(Ticks(0.0), groove.metre.clone())]));
        let cell = groove.grid.cell(ppq).0;
        let first = groove.bars + 1;
        let a_bar = groove.slots_a_bar();
        let mut ticks = Vec::new();
        for bar in first..first + bars * groove.bars {
            for slot in groove.together.keys().filter(|slot| (**slot - 1) / a_bar == (bar - 1) % groove.bars) {
                ticks.push(metre.bar(bar).start.0 + f64::from((slot - 1) % a_bar) * cell);
            }
        }
        let hit = |(id, tick): (u32, f64)| Hit {
            id: HitId::new(id),
            tick: Ticks(tick),
            length: Ticks(40.0),
            velocity: Velocity::new(60).unwrap(),
            release: 64,
            note: Note::new(42).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let part = Part::new((0..).zip(ticks).map(hit).collect());
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let action = Groove { groove: groove.clone(), touch: Percent(100.0), lengths: Percent(100.0), ..Groove::default() };
        let played = perform(&part, &chart, &one(Aim::everything(), Action::Groove(action)), &Context::new(&tempo, &metre));
        let take = Extraction { grid: Some(groove.grid), length: groove.bars, ..Extraction::default() };
        let again = GrooveProfile::taken("Again", &chart, &tempo, &metre, &played.written, &take).unwrap().groove;
        prop_assert_eq!(again.together.keys().collect::<Vec<_>>(), groove.together.keys().collect::<Vec<_>>());
        for (slot, was) in &groove.together {
            let now = again.together[slot];
            prop_assert!((now.offset - was.offset).abs() * cell <= 0.5 + 1e-6, "slot {slot}: {was:?} became {now:?}");
            // Velocities are whole numbers about 60.
            prop_assert!((now.velocity - was.velocity).abs() <= 1.5 / 60.0, "slot {slot}: {was:?} became {now:?}");
            prop_assert_eq!(now.count, bars);
        }
    }

    #[test]
    fn off_is_absent((song, part) in songs(), recipe in recipes()) {
        let removed = Recipe { passes: recipe.playing().cloned().collect(), groups: recipe.groups.clone() };
        prop_assert_eq!(song.play(&part, &recipe, 4), song.play(&part, &removed, 4));
    }

    #[test]
    fn a_group_is_nothing_at_0_and_its_passes_at_100((song, part) in songs(), recipe in recipes(), early in recipes()) {
        let own = Recipe { groups: Vec::new(), ..recipe.clone() };
        let behind = early.followed_by(&Recipe::of(own.passes.clone()));
        let grouped = |amount: f64| {
            let mut recipe = behind.clone();
            let id = recipe.free_group();
            recipe.passes.iter_mut().skip(early.passes.len()).for_each(|pass| pass.group = Some(id));
            recipe.groups.push(Group { amount: Percent(amount), ..Group::new(id, "a group") });
            recipe.tidied()
        };
        let heard = |recipe: &Recipe| {
            let played = song.play(&part, recipe, 3);
            (played.written, played.made, played.lanes.into_iter().filter(|one| !one.lane.is_empty()).collect::<Vec<_>>())
        };
        prop_assert_eq!(heard(&grouped(100.0)), heard(&behind));
        let (written, made, lanes) = heard(&grouped(0.0));
        let before = heard(&early);
        prop_assert_eq!((written, made), (before.0, before.1));
        prop_assert_eq!(lanes.len(), before.2.len());
        for (now, was) in lanes.iter().zip(&before.2) {
            prop_assert_eq!(&now.lane, &was.lane);
        }
    }

    #[test]
    fn what_a_group_makes_comes_with_more_of_it((song, part) in songs(), recipe in recipes(), few in 0..100u8, more in 0..100u8) {
        let (few, more) = (few.min(more), few.max(more));
        let heard = |amount: u8| {
            let mut recipe = Recipe::of(recipe.passes.iter().map(|pass| Pass { group: None, ..pass.clone() }).collect());
            recipe.passes.iter_mut().for_each(|pass| pass.group = Some(GroupId(7)));
            recipe.groups.push(Group { amount: Percent(f64::from(amount)), ..Group::new(GroupId(7), "a group") });
            song.play(&part, &recipe.tidied(), 3)
        };
        let ids = |amount: u8| heard(amount).made.iter().map(|made| made.played.id).collect::<Vec<_>>();
        let (few, more) = (ids(few), ids(more));
        prop_assert!(few.iter().all(|id| more.contains(id)), "what is there stays");
    }

    #[test]
    fn only_whom_it_aims_at((song, part) in songs(), aim in aims(), action in actions()) {
        let (chart, recipe) = (song.chart(&part), one(aim, action));
        let played = perform(&part, &chart, &recipe, &song.context(1));
        let aimed = aimed_by(&part, &chart, &recipe, &song.context(1), PassId(1));
        let graces = chart.graces(&part, &song.tempo);
        for (index, (hit, now)) in part.hits().iter().zip(&played.written).enumerate() {
            // A grace note goes with the hit that it leads to.
            let goes_along = graces.is_one(index) && aimed.contains(&part.hits()[graces.head(index)].id);
            if !aimed.contains(&hit.id) && !goes_along {
                prop_assert_eq!((now.velocity, now.tick, now.note, now.silenced), (hit.velocity, hit.tick, hit.note, None));
                prop_assert!(now.length <= hit.length, "only ever cut");
            }
        }
        prop_assert_eq!(played.passes[0].aimed as usize, aimed.len());
        prop_assert!(played.passes[0].touched as usize <= aimed.len());
    }

    #[test]
    fn an_aim_turned_round_means_the_others((song, part) in songs(), aim in aims()) {
        let chart = song.chart(&part);
        let meant = |aim: Aim| aimed_by(&part, &chart, &one(aim, Action::Level(Level { by: 1.0 })), &song.context(1), PassId(1));
        let mut both = meant(aim.clone());
        both.extend(meant(Aim { invert: !aim.invert, ..aim.clone() }));
        both.sort_unstable();
        // Within the chosen instruments and bars, where more is asked than those.
        let Aim { instruments, bars, sections, .. } = aim.clone();
        let scope = Aim { instruments, bars, sections, ..Aim::default() };
        let all = if scope == (Aim { invert: false, ..aim }) { Aim::everything() } else { scope };
        let mut all = meant(all);
        all.sort_unstable();
        prop_assert_eq!(both, all);
    }

    #[test]
    fn monotone((song, part) in songs(), shape in shapes(), contrast in 0.0..400.0, by in -126.0..126.0, range in ranges()) {
        let rules = [
            Action::Shape(shape),
            Action::Contrast(Contrast { contrast: Percent(contrast), around: ContrastAround::Mean, ..Contrast::default() }),
            Action::Level(Level { by }),
            Action::Limits(Limits { floor: range.0, ceiling: range.1, how: LimitsHow::Clip }),
            Action::Limits(Limits { floor: range.0, ceiling: range.1, how: LimitsHow::Squeeze }),
            Action::Layer(Layer::default()),
        ];
        let lookup = song.chart(&part).kit.lookup();
        for action in rules {
            let played = song.play(&part, &one(Aim::everything(), action), 1);
            let mut rows: Vec<(usize, Velocity, Velocity)> = part.hits().iter().zip(&played.written)
                .map(|(hit, now)| (lookup.instrument(hit.note, hit.channel).unwrap(), hit.velocity, now.velocity))
                .collect();
            rows.sort();
            for pair in rows.windows(2).filter(|pair| pair[0].0 == pair[1].0 && pair[0].1 < pair[1].1) {
                prop_assert!(pair[0].2 <= pair[1].2);
            }
        }
    }

    #[test]
    fn touched_by_is_what_the_report_counts((song, part) in songs(), recipe in recipes()) {
        let chart = song.chart(&part);
        for report in perform(&part, &chart, &recipe, &song.context(1)).passes {
            let touched = touched_by(&part, &chart, &recipe, &song.context(1), report.pass);
            prop_assert_eq!(touched.len(), (report.touched + report.added) as usize);
        }
    }

    #[test]
    fn made_hits_are_stable((song, part) in songs(), early in recipes(), by_hand in by_hand(), later in recipes(), moved in -20.0..20.0) {
        let maker = Pass::new(90, Aim::everything(), Action::ByHand(by_hand.clone()));
        let number = |passes: &mut Vec<Pass>, from: u32| {
            passes.retain(|pass| !matches!(pass.action, Action::ByHand(_)));
            passes.iter_mut().zip(from..).for_each(|(pass, id)| pass.id = PassId(id));
        };
        let (mut early, mut later) = (early.passes, later.passes);
        number(&mut early, 1);
        number(&mut later, 100);
        let made = |passes: &[&[Pass]]| {
            let mut made = song.play(&part, &Recipe::of(passes.concat()), 1).made;
            made.retain(|one| one.pass == PassId(90));
            made
        };
        // What a pass makes goes by itself alone, whatever is done before and after.
        let alone = made(&[slice::from_ref(&maker)]);
        let among = made(&[&early, slice::from_ref(&maker), &later]);
        let ids = |made: &[MadeHit]| made.iter().map(|one| one.played.id).collect::<Vec<_>>();
        prop_assert_eq!(ids(&alone), ids(&among));
        let all: BTreeSet<HitId> = part.hits().iter().map(|hit| hit.id).chain(ids(&alone)).collect();
        prop_assert_eq!(all.len(), part.hits().len() + alone.len(), "no id twice");
        prop_assert!(all.iter().all(|id| id.get() < 1 << 53));
        // Switched off, exactly that is gone.
        let off = Pass { on: false, ..maker.clone() };
        prop_assert!(made(&[&early, &[off], &later]).is_empty());
        // A later pass that names one holds.
        if let Some(first) = alone.first() {
            let named = Aim { picked: Some(vec![first.played.id]), ..Aim::everything() };
            let lean = Pass::new(95, named, Action::Lean(Lean { by: Millis(moved), ..Lean::default() }));
            let report = song.play(&part, &Recipe::of(vec![maker, lean]), 1).passes;
            prop_assert_eq!(report[1].aimed, 1);
        }
    }

    #[test]
    fn made_hits_go_by_pass_and_parent((song, part) in songs(), aim in aims(), maker in hands(), early in recipes()) {
        let mut early = early.passes;
        early.iter_mut().zip(1..).for_each(|(pass, id)| pass.id = PassId(id));
        let passes = |on| [&early[..], &[Pass { on, ..Pass::new(90, aim.clone(), maker.clone()) }]].concat();
        let performance = song.play(&part, &Recipe::of(passes(true)), 1);
        let mut seen = BTreeSet::new();
        for one in performance.hits() {
            prop_assert!(seen.insert(one.id) && one.id.get() < 1 << 53, "{:?} is there twice", one.id);
        }
        for one in performance.made.iter().filter(|one| one.pass == PassId(90)) {
            let parent = one.parent.unwrap();
            prop_assert!((0..200).any(|ordinal| HitId::made(PassId(90), parent, ordinal) == one.played.id));
            prop_assert!(one.played.tick >= Ticks(0.0));
        }
        let off = song.play(&part, &Recipe::of(passes(false)), 1);
        let others: Vec<HitId> = performance.made.iter().filter(|one| one.pass != PassId(90)).map(|one| one.played.id).collect();
        prop_assert_eq!(off.made.iter().map(|one| one.played.id).collect::<Vec<_>>(), others);
    }

    #[test]
    fn rounds_differ_only_where_asked((song, part) in songs(), recipe in recipes(), action in actions()) {
        let chart = song.chart(&part);
        let at = |recipe: &Recipe, round| perform(&part, &chart, recipe, &Context { round, ..song.context(1) });
        prop_assert_eq!(at(&recipe, 0), at(&recipe, 5));
        // With fresh dice on a pass at the snare only the snare is another.
        let mut with_fresh = recipe.clone();
        let id = with_fresh.free_id();
        let by_hand = matches!(action, Action::ByHand(_) | Action::Swap(_) | Action::Recolour(_));
        prop_assume!(!by_hand);
        with_fresh.passes.push(Pass { id, fresh: true, ..Pass::new(0, Aim::at("snare"), action) });
        let others = |performance: &Performance| {
            let is_snare = |hit: &PlayedHit| chart.instrument_of(hit.note, hit.channel).is_some_and(|place| chart.kit.instruments[place].id == InstrumentId::new("snare"));
            performance.hits().filter(|hit| !is_snare(hit)).copied().collect::<Vec<_>>()
        };
        prop_assert_eq!(others(&at(&with_fresh, 0)), others(&at(&with_fresh, 5)));
    }

    /// Also of hits that swaps, colours and hands put on notes that neither kit nor part has.
    #[test]
    fn rows_hold_all((song, part) in songs(), recipe in recipes(), keys in -60..60i32) {
        let chart = song.chart(&part);
        let mut recipe = recipe;
        let id = recipe.free_id();
        recipe.passes.push(Pass { id, ..Pass::new(0, Aim::everything(), Action::Swap(action::Swap { to: action::SwapTo::Keys, keys: f64::from(keys), ..action::Swap::default() })) });
        let performance = perform(&part, &chart, &recipe, &song.context(1));
        for hit in performance.hits() {
            let place = chart.instrument_of(hit.note, hit.channel).expect("every note is some instrument's");
            prop_assert!(place < chart.kit.instruments.len());
        }
        let reading = Measured::played(&part, &chart, &song.context(1), &performance);
        let counted = reading.instruments.iter().map(|one| one.figures.count as usize).sum::<usize>();
        prop_assert_eq!(counted, performance.sounding().count());
    }

    #[test]
    fn kit_in_kit_out((song, part) in songs(), recipe in recipes(), outs in vec((0..128u8, proptest::option::of(0..16u8), -126.0..126.0, 1.0..400.0), 64)) {
        let plain = song.chart(&part);
        let mut kit = plain.kit.clone();
        let mut outs = outs.into_iter().cycle();
        for instrument in &mut kit.instruments {
            for way in &mut instrument.articulations {
                let (note, channel, offset, scale) = outs.next().unwrap();
                (way.note_out, way.channel_out) = (Note::new(note), channel.and_then(Channel::new));
                (instrument.offset, instrument.scale) = (offset, Percent(scale));
            }
        }
        let sending = Chart::new(&part, kit);
        let (before, after) = (perform(&part, &plain, &recipe, &song.context(1)), perform(&part, &sending, &recipe, &song.context(1)));
        prop_assert_eq!(&before, &after);
        prop_assert_eq!(Measured::played(&part, &plain, &song.context(1), &before), Measured::played(&part, &sending, &song.context(1), &after));
        prop_assert_eq!(&before, &before.clone().sent(&plain));
        // Nothing comes or goes, and no two notes that came in apart sound over each other.
        let sent = after.clone().sent(&sending);
        for (was, is) in after.hits().zip(sent.hits()) {
            prop_assert_eq!((was.id, was.tick, was.silenced), (is.id, is.tick, is.silenced));
            prop_assert!(is.length >= Ticks(1.0) && is.length <= was.length);
        }
        prop_assert_eq!(after.hits().count(), sent.hits().count());
        let mut sounding: Vec<_> = after.hits().zip(sent.hits()).filter(|(_, is)| is.silenced.is_none()).collect();
        sounding.sort_by(|(_, a), (_, b)| a.tick.0.total_cmp(&b.tick.0));
        for (index, (was, is)) in sounding.iter().enumerate() {
            let alike = |(_, other): &&(&PlayedHit, &PlayedHit)| (other.note, other.channel) == (is.note, is.channel) && other.tick > is.tick;
            let next = sounding[index + 1..].iter().find(alike);
            if let Some((came, next)) = next.filter(|(came, _)| came.note != was.note) {
                prop_assert!(is.tick + is.length <= next.tick, "{} sounds into {}", was.id.get(), came.id.get());
            }
        }
    }

    #[test]
    fn every_recipe_survives_json(recipe in recipes()) {
        let file = RecipeFile::new("any", "", recipe);
        let text = serde_json::to_string(&file).unwrap();
        prop_assert_eq!(RecipeFile::parse(&text).unwrap(), file);
    }
}
