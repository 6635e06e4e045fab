//! Requests that nobody means: every route, each with something changed in its path, its query or its body.
//! Whatever comes, the answer is one with words, and the songs are still there. `VIVIDA_FUZZ` is how many
//! requests are sent, 16 000 before a release; `VIVIDA_SEED` sends others.

use crate::common::{client, get, host};
use rand::rngs::StdRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rocket::http::{ContentType, Header, Method, Status};
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use std::sync::{LazyLock, mpsc};
use std::time::Duration;

/// One request as it is meant. `{r}` stands for the revision of what is changed.
struct Meant {
    method: Method,
    path: &'static str,
    body: Value,
}

fn filed(value: &Value, format: &str) -> Value {
    let mut file = json!({"format": format, "version": 1});
    file.as_object_mut().unwrap().extend(value.as_object().unwrap().clone());
    file
}

fn meant() -> Vec<Meant> {
    let recipe = json!({"passes": [
        {"id": 1, "aim": {"instruments": ["snare"], "bars": [{"from": 1, "to": 4}]}, "action": {"kind": "level", "by": 5}},
        {"id": 2, "action": {"kind": "loosen", "early": 3, "late": 9, "spread": "bell"}},
        {"id": 3, "action": {"kind": "by-hand", "moved": [{"hit": 3, "velocity": 4, "time": 2}],
            "added": [{"id": 1073741824u64, "tick": 960, "length": 120, "velocity": 90, "note": 38, "channel": 9}]}},
        {"id": 4, "action": {"kind": "swing", "grid": "1/8", "to": 58}},
        {"id": 5, "action": {"kind": "strays", "softer": 12, "again": 30, "bleed": 9, "share": 40, "pairs": "any"}},
        {"id": 6, "action": {"kind": "rescue", "gives": "softest", "together": 20, "hand": 50}},
        {"id": 7, "action": {"kind": "by-hand", "recalled": [5, 6]}},
    ]});
    let settings = json!({"swing": {"to": 60}, "lean": {"by": 4}, "loosen": {"early": 3, "late": 9, "spread": "bell"}});
    let groove = json!({"name": "Late", "grid": "1/16", "bars": 1,
        "together": {"2": {"offset": 0.1, "velocity": 1.2}}});
    let kit = json!({"name": "Mine", "instruments": [
        {"id": "snare", "name": "Snare", "family": "snare", "limb": "left-hand", "choke": "snare",
            "articulations": [{"name": "centre", "note": 38, "note_out": 20, "channel_out": 3, "hand": "left"},
                {"name": "edge", "note": 40, "channel": 9}],
            "layers": [{"name": "soft", "from": 1}, {"name": "hard", "from": 80}], "offset": 3, "scale": 90}]});
    let gestures = json!([
        {"kind": "move-hits", "hits": [1, 2], "velocity": 5, "time": 3, "ticks": 2, "at": 960},
        {"kind": "set-hits", "hits": [3], "velocity": 80},
        {"kind": "put-on", "hits": [4], "instrument": "snare"},
        {"kind": "put-on", "hits": [4], "instrument": "snare", "stroke": "side stick"},
        {"kind": "strike-by", "hits": [4], "stroke": "side stick"},
        {"kind": "lengthen", "hits": [4], "ticks": 60},
        {"kind": "transpose", "hits": [4], "keys": 2},
        {"kind": "take-out", "hits": [5]},
        {"kind": "bring-back", "hits": [5]},
        {"kind": "add-hit", "instrument": "kick", "tick": 480, "velocity": 70, "snapped": true},
        {"kind": "copy-hits", "hits": [6], "quarters": 4},
        {"kind": "cut-hits", "hits": [7]},
        {"kind": "shape-by", "instrument": "closed-hat", "soft": 3, "hard": -4},
        {"kind": "lean-by", "instrument": "snare", "by": 4},
        {"kind": "spread-by", "instrument": "kick", "by": 3},
        {"kind": "draw-slot", "instrument": "snare", "slot": 3, "cells": 0.1, "louder": 1.2},
        {"kind": "set", "pass": 1, "setting": "by", "value": 7},
        {"kind": "change-pass", "pass": 1, "on": true, "name": "mine", "aim": {"instruments": ["kick"]}},
        {"kind": "move-pass", "pass": 1, "by": 1},
        {"kind": "duplicate-pass", "pass": 1, "others": true},
        {"kind": "add-passes", "passes": [{"id": 9, "action": {"kind": "level", "by": 2}}]},
        {"kind": "delete-pass", "pass": 2},
    ]);
    let drawings = json!([
        {"kind": "fill", "instrument": "snare", "from": 0, "to": 3840, "grid": "1/8",
            "path": [{"tick": 0, "velocity": 40}, {"tick": 3840, "velocity": 90}]},
        {"kind": "erase", "instrument": "snare", "from": 960, "to": 960, "grid": "1/8"},
        {"kind": "shift", "hits": [0], "cells": 4, "grid": "1/8 triplet", "instrument": "kick", "copy": true},
        {"kind": "thin", "hits": [1, 3]},
        {"kind": "faster", "hits": [1, 4], "times": 2, "grid": "1/8"},
        {"kind": "copy-bars", "bars": {"from": 1, "to": 2}, "to": 3, "times": 2, "instruments": ["snare"]},
        {"kind": "clear-bars", "bars": {"from": 5, "to": 6}},
        {"kind": "erase-hits", "hits": [0]},
    ]);
    let outline = json!({"bars": 9, "tempos": [{"bar": 1, "bpm": 90}, {"bar": 3, "bpm": 120.5}],
        "metres": [{"bar": 1, "metre": "4/4"}, {"bar": 2, "metre": "7/8"}]});
    let perform = json!({"recipe": recipe, "variation": 1, "round": 0, "gestures": gestures, "alone": 1,
        "audition": {"aim": {}, "action": {"kind": "level", "by": 3}}, "pockets": {"1": settings}});
    let named = json!({"revision": "{r}", "name": "Mine"});
    let ask = |method, path, body| Meant { method, path, body };
    let (get, post, put, patch, delete) = (Method::Get, Method::Post, Method::Put, Method::Patch, Method::Delete);
    let mut all = vec![
        ask(post, "/recipes", json!({"name": "Mine", "note": "", "recipe": recipe})),
        ask(post, "/recipes/file?file_name=mine.recipe.json", filed(&recipe, "vivida-recipe")),
        ask(patch, "/recipes/1", json!({"revision": "{r}", "name": "Mine", "note": "mine"})),
        ask(delete, "/recipes/1?revision=1", Value::Null),
        ask(post, "/grooves", json!({"note": "", "groove": groove})),
        ask(post, "/grooves/file?file_name=late.json", filed(&groove, "vivida-groove")),
        ask(post, "/grooves/reading", groove.clone()),
        ask(put, "/grooves/1", json!({"revision": "{r}", "note": "", "favourite": true, "groove": groove})),
        ask(delete, "/grooves/1?revision=1", Value::Null),
        ask(
            put,
            "/parts/1",
            json!({"revision": "{r}", "label": "mine", "recipe": recipe, "gestures": gestures,
            "variation": 2, "take": 1, "drums": true, "name": "Kit", "muted": false,
            "lines": {"all": {"grid": "1/16"}, "drums": {"snare": {"grid": "1/16", "swing": 58, "of": "1/8"}}}}),
        ),
        ask(
            put,
            "/parts/1",
            json!({"revision": "{r}", "label": "mine", "gestures": gestures.as_array().unwrap()[..12]}),
        ),
        ask(
            put,
            "/parts/1",
            json!({"revision": "{r}", "label": "mine", "gestures": [
            {"kind": "draw", "drawing": drawings[0]}, {"kind": "draw", "drawing": drawings[1]},
            {"kind": "draw", "drawing": drawings[5]}, {"kind": "draw", "drawing": drawings[6]}]}),
        ),
        ask(post, "/songs/begun", json!({"name": "Mine", "outline": outline, "kit": 1})),
        ask(put, "/parts/15/written", json!({"revision": "{r}", "label": "mine", "drawings": drawings})),
        ask(put, "/songs/7/outline", json!({"revision": "{r}", "outline": outline})),
        ask(put, "/songs/7/bars", json!({"revision": "{r}", "edit": {"kind": "insert", "before": 2, "count": 3}})),
        ask(
            put,
            "/songs/7/bars",
            json!({"revision": "{r}", "edit": {"kind": "repeat", "bars": {"from": 2, "to": 3}, "times": 2}}),
        ),
        ask(
            post,
            "/batches",
            json!({"songs": [1, 2], "name": "Mine", "recipe": recipe, "instead": true, "kit": 2, "usual": true}),
        ),
        ask(get, "/batches", Value::Null),
        ask(post, "/parts/1/recordings", json!({"client": "mine"})),
        ask(get, "/parts/1/recordings", Value::Null),
        ask(post, "/recordings/1/pieces", json!({"number": 1, "piece": recording(), "last": true})),
        ask(get, "/recordings/1", Value::Null),
        ask(
            put,
            "/recordings/1",
            json!({"revision": "{r}", "laying": {"how": "replace", "instruments": ["snare"], "from": 0, "to": 9600,
                "rounds": [0]}}),
        ),
        ask(delete, "/recordings/1", Value::Null),
        ask(post, "/latency", json!({"recording": recording(), "clicks": (0..12).collect::<Vec<u32>>()})),
        ask(post, "/parts/1/live", json!({"recipe": recipe})),
        ask(
            post,
            "/loops",
            json!({"sound": SOUND.0, "name": "Mine", "file_name": "a.wav", "bars": 1, "beats": 4, "sensitivity": 60}),
        ),
        ask(
            post,
            "/loops",
            json!({"sound": SOUND.0, "name": "Mine", "file_name": "a.wav", "bars": 1, "song": 1, "revision": "{r}"}),
        ),
        ask(
            post,
            "/loops",
            json!({"sound": SOUND.0, "name": "Mine", "file_name": "a.wav", "bars": 1, "beats": 4, "from": 0.1, "to": 0.9}),
        ),
        ask(
            post,
            "/kits/samples",
            json!({"kit": sampled_kit(), "files": [{"path": "kick.wav", "sound": SOUND.0}], "stroke": [0, 0]}),
        ),
        ask(
            post,
            "/kits/samples",
            json!({"kit": sampled_kit(), "files": [{"path": "kick.wav", "sound": SOUND.0}], "sfz": "a.sfz",
                "texts": [{"path": "a.sfz", "text": "<region> sample=kick.wav key=38 hivel=60 seq_length=2"}]}),
        ),
        ask(post, "/kits", json!({"kit": sampled_kit()})),
        ask(put, LOOP, json!({"revision": "{r}", "sensitivity": 80})),
        ask(
            post,
            HEARD,
            json!({"played": {"recipe": recipe, "variation": 1, "round": 0, "gestures": [], "pockets": {}},
                "from": 0, "frames": 4000, "speed": 1.25, "round": {"from": 1, "to": 1}, "without": ["kick"]}),
        ),
        ask(get, "/backups", Value::Null),
        ask(put, "/parts/1", json!({"revision": "{r}", "label": "layers", "layers": {"kick": [1, 60, 90]}})),
        ask(post, "/parts/1/duplicate", Value::Null),
        ask(delete, "/parts/2?revision=1", Value::Null),
        ask(post, "/parts/1/split", json!({"revision": "{r}", "groups": [["kick"], ["snare", "closed-hat"]]})),
        ask(
            post,
            "/songs/1/join",
            json!({"parts": [{"id": 1, "revision": "{r}"}, {"id": 2, "revision": 1}], "name": "Drums"}),
        ),
        ask(post, "/parts/1/takes", named.clone()),
        ask(patch, "/parts/1/takes/1", named.clone()),
        ask(delete, "/parts/1/takes/1?revision=1", Value::Null),
        ask(post, "/parts/1/fit", json!({"recipe": recipe})),
        ask(post, "/parts/1/passes", json!({"recipe": recipe})),
        ask(put, "/kit/layers", json!({"kick": [1, 30, 60, 90]})),
        ask(post, "/kits", json!({"kit": kit})),
        ask(post, "/kits/file?file_name=mine.kit.json", filed(&kit, "vivida-kit")),
        ask(put, "/kits/4", json!({"revision": "{r}", "label": "mine", "kit": kit})),
        ask(delete, "/kits/4?revision=1", Value::Null),
        ask(post, "/parts/1/kit/reading", json!({"revision": "{r}", "kit": 2, "keep_notes": true})),
        ask(put, "/parts/1/kit", json!({"revision": "{r}", "kit": 3, "keep_notes": false})),
        ask(get, "/parts/1/notes", Value::Null),
        ask(get, "/parts/1/findings", Value::Null),
        ask(get, "/parts/1/study/2", Value::Null),
        ask(put, "/findings/thresholds", json!({"alike": 0.6, "machine_gun": 8, "fast": 120, "together": 30})),
        ask(get, "/kits/2", Value::Null),
        ask(
            post,
            "/parts/1/groove",
            json!({"take": {"instruments": ["snare"], "bars": {"from": 1, "to": 8},
            "grid": "1/16", "length": 2}, "written": false, "recipe": recipe, "variation": 1}),
        ),
        ask(post, "/parts/1/performance", perform.clone()),
        ask(
            post,
            "/parts/1/touched",
            json!({"recipe": recipe, "variation": 1, "round": 0, "touched_by": 1, "aimed": true}),
        ),
        ask(
            post,
            "/songs/1/pockets",
            json!({"name": "Mine", "settings": settings,
            "followers": [{"part": 1, "instruments": ["kick"]}]}),
        ),
        ask(put, "/pockets/1", json!({"revision": "{r}", "label": "swing", "name": "Mine", "settings": settings})),
        ask(delete, "/pockets/1?revision=1", Value::Null),
        ask(
            put,
            "/defaults",
            json!({"revision": 1, "recipe": 1, "pocket": {"name": "Usual", "settings": settings},
            "grid": "1/16", "tones": true}),
        ),
        ask(post, "/songs/1/defaults", Value::Null),
        ask(post, "/songs?file_name=Song.mid", Value::Null),
        ask(patch, "/songs/1", named),
        ask(post, "/songs/1/duplicate", Value::Null),
        ask(delete, "/songs/2?revision=1", Value::Null),
        ask(post, "/songs/delete", json!({"songs": [{"id": 2, "revision": 1}]})),
        ask(post, "/shelf/undo", Value::Null),
        ask(post, "/songs/1/undo", Value::Null),
        ask(post, "/songs/1/redo", Value::Null),
        ask(post, "/songs/1/history/1", Value::Null),
        ask(put, "/songs/1/sections", json!({"revision": "{r}", "sections": [{"name": "Verse", "from": 1, "to": 4}]})),
        ask(put, "/views/part-1", json!({"loop": [1, 8]})),
        ask(post, "/renders", json!({"song": 1, "written": true})),
        ask(delete, "/renders/1", Value::Null),
    ];
    for change in [
        json!({"kind": "strength", "strength": 50}),
        json!({"kind": "switch", "on": false}),
        json!({"kind": "detach"}),
        json!({"kind": "leave"}),
    ] {
        all.push(ask(post, "/pockets/1/followers", json!({"part": 1, "pass": 1, "change": change})));
    }
    let follow = json!({"part": 1, "change": {"kind": "follow", "instruments": ["snare"]}});
    all.push(ask(post, "/pockets/1/followers", follow));
    let asked = [
        "/songs",
        "/songs/1",
        "/songs/1/history",
        "/songs/1/export.mid?part=1&bars=5-8&split=true&format=0",
        "/parts/1/hits.csv",
        "/songs/export.zip?ids=1,2",
        "/songs/1/export",
        "/songs/1/export.mid?resolution=own&lead_in=true",
        "/songs/1/original",
        "/songs/1/export.wav?reading=played",
        "/songs/1/slots?grid=1/16&bars=1&bar=1",
        "/songs/1/grid-lines?grid=1/16&swing=60&from=0&to=9000",
        "/pockets/1/file",
        "/songs/1/pockets",
        "/renders/1",
        "/renders/1/file",
        "/sound/kit",
        "/recipes",
        "/recipes/1/file",
        "/kits",
        "/kits/1/file",
        "/grooves",
        "/grooves/1/file",
        "/grooves/1/clip.mid",
        "/parts/1",
        "/parts/1/takes/1/performance",
        "/parts/1/takes/1/file",
        "/parts/1/starting-points",
        "/parts/1/touch",
        "/vocabulary",
        "/defaults",
        "/views/part-1",
    ];
    all.extend(asked.map(|path| ask(get, path, Value::Null)));
    all
}

/// The places of all values inside.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    found.push(at.to_owned());
    match value {
        Value::Object(fields) => fields.iter().for_each(|(name, one)| places(one, &format!("{at}/{name}"), found)),
        Value::Array(list) => list.iter().enumerate().for_each(|(n, one)| places(one, &format!("{at}/{n}"), found)),
        _ => {}
    }
}

fn odd(random: &mut StdRng) -> Value {
    let all = [
        json!(null),
        json!(true),
        json!(""),
        json!("é\0\u{7f}"),
        json!("x".repeat(5000)),
        json!([]),
        json!({}),
        json!(0),
        json!(-1),
        json!(1),
        json!(127),
        json!(128),
        json!(1000000000),
        json!(u32::MAX),
        json!(i64::MAX),
        json!(i64::MIN),
        json!(u64::MAX),
        json!((1u64 << 53) - 1),
        json!(0.5),
        json!(-0.0),
        json!(1e308),
        json!(-1e308),
        json!(5e-324),
        json!(1e15),
        json!("1/16"),
        json!("1/0"),
        json!("999999/1"),
        json!(vec![1; 2000]),
        json!({"kind": "shape"}),
        json!([[[[[[]]]]]]),
        json!("kick"),
        json!("{r}"),
    ];
    all.choose(random).unwrap().clone()
}

/// Something else in a body.
fn change(random: &mut StdRng, body: &mut Value) {
    let mut all = Vec::new();
    places(body, "", &mut all);
    let place = all.choose(random).unwrap().clone();
    match random.random_range(0..6) {
        0 => {
            if let Some(Value::Object(fields)) = body.pointer_mut(&place) {
                fields.insert("gong".to_owned(), odd(random));
            }
        }
        1 => {
            let Some((parent, name)) = place.rsplit_once('/') else { return };
            if let Some(Value::Object(fields)) = body.pointer_mut(parent) {
                fields.remove(name);
            }
        }
        2 => {
            if let Some(Value::Array(list)) = body.pointer_mut(&place)
                && let Some(first) = list.first().cloned()
            {
                let many = *[1, 2, 300, 3000].choose(random).unwrap();
                list.extend(std::iter::repeat_n(first, many));
            }
        }
        3 => {
            if let Some(number) = body.pointer(&place).and_then(Value::as_f64) {
                let factor = *[-1.0, 0.01, 10.0, 1000.0, 1e9].choose(random).unwrap();
                *body.pointer_mut(&place).unwrap() = json!(number * factor);
            }
        }
        _ => *body.pointer_mut(&place).unwrap() = odd(random),
    }
}

/// Something else in a path or its query.
fn bend(random: &mut StdRng, path: &str) -> String {
    let odd = [
        "0",
        "-1",
        "9",
        "4294967295",
        "4294967296",
        "9223372036854775807",
        "99999999999999999999",
        "x",
        "%00",
        "%ff",
        "..%2f",
        "1e9",
        "nan",
        "",
        "%F0%9F%A5%81",
        "1/16",
        "true",
        "written",
        "1/65535",
        "-inf",
    ];
    let odd = *odd.choose(random).unwrap();
    let parts: Vec<(usize, &str)> = path.match_indices(['/', '=', '?', '&']).collect();
    let (from, _) = *parts.choose(random).unwrap();
    let end = path[from + 1..].find(['/', '=', '?', '&']).map_or(path.len(), |end| from + 1 + end);
    format!("{}{odd}{}", &path[..=from], &path[end..])
}

fn revision(client: &Client, path: &str) -> Value {
    let mut parts = path.trim_start_matches('/').split(['/', '?']);
    let (of, id) = (parts.next().unwrap_or_default(), parts.next().and_then(|id| id.parse::<u64>().ok()));
    match (of, id) {
        // What is joined are parts.
        ("songs", Some(_)) if path.ends_with("/join") => get(client, "/parts/1").1["state"]["revision"].clone(),
        ("loops", _) => get(client, "/songs/1").1["revision"].clone(),
        ("recordings", Some(_)) => get(client, "/parts/1").1["state"]["revision"].clone(),
        ("parts", Some(id)) => get(client, &format!("/parts/{id}")).1["state"]["revision"].clone(),
        ("songs", Some(id)) => get(client, &format!("/songs/{id}")).1["revision"].clone(),
        ("pockets", _) => get(client, "/songs/1/pockets").1[0]["revision"].clone(),
        (_, Some(id)) => {
            let (_, all) = get(client, &format!("/{of}"));
            all.as_array()
                .and_then(|all| all.iter().find(|one| one["id"] == id))
                .map_or(json!(1), |one| one["revision"].clone())
        }
        _ => json!(1),
    }
}

/// Twelve strokes of a snare on the seconds.
fn recording() -> Value {
    let at = |count: u32| f64::from(count) * 1000.0 + 77.0;
    json!({
        "devices": [{"name": "pads", "latency": 7}],
        "messages": (0..12).map(|count| json!({"at": at(count) + 9.0, "device": 0, "data": [0x99, 38, 90]})).collect::<Vec<_>>(),
        "clock": (0..20).map(|count| json!({"device": 0, "at": at(count), "audio": count})).collect::<Vec<_>>(),
        "course": [{"audio": 0.5, "second": 0, "tempo": 1, "round": 0}, {"audio": 6.5, "second": 0, "tempo": 1.5, "round": 1}],
        "until": 12.5,
    })
}

/// The part of [`furnished`] that is a recorded loop.
const LOOP: &str = "/parts/16/onsets";
const HEARD: &str = "/parts/16/heard";

/// A loop's name and file.
static SOUND: LazyLock<(String, Vec<u8>)> = LazyLock::new(|| {
    let file = vivida_demo::LoopPlan { bars: 1, bpm: 170.0, ..vivida_demo::LoopPlan::cut_break() }.make().wav();
    let client = client();
    let path = "/api/v1/sounds?file_name=a.wav";
    let told = crate::common::answer(client.post(path).header(crate::common::host()).body(&file).dispatch());
    (told.1["sound"].as_str().unwrap().to_owned(), file)
});

/// A kit with own sounds.
fn sampled_kit() -> Value {
    let sample = |turn: u32| {
        json!({"sound": SOUND.0, "name": "a.wav", "frames": 4410, "from": 20, "to": 90, "turn": turn, "turns": 2,
            "volume": -6, "pan": 20, "full": 90, "track": 60, "group": 1, "off_by": 1})
    };
    json!({"name": "Sampled", "instruments": [
        {"id": "snare", "name": "Snare", "family": "snare", "limb": "left-hand",
            "articulations": [{"name": "centre", "note": 38, "samples": [sample(1), sample(2)]}]}]})
}

/// Demo songs, and one of everything that is asked for.
fn furnished() -> Client {
    let client = client();
    let all = meant();
    for path in
        ["/recipes", "/grooves", "/kits", "/songs/1/pockets", "/parts/1/duplicate", "/parts/1/takes", "/songs/begun"]
    {
        let one = all.iter().find(|one| one.method == Method::Post && one.path == path).unwrap();
        let body = one.body.to_string().replace("\"{r}\"", &revision(&client, path).to_string());
        let (status, told) = crate::common::post(&client, path, serde_json::from_str(&body).unwrap());
        assert!(status.code < 300, "{path}: {status} {told}");
    }
    assert_eq!(crate::common::post(&client, "/parts/1/recordings", json!({"client": "mine"})).0, Status::Created);
    let piece = json!({"number": 0, "piece": recording(), "last": true});
    assert_eq!(crate::common::post(&client, "/recordings/1/pieces", piece).0, Status::NoContent);
    let back = json!({"revision": revision(&client, "/parts/1"), "label": "back", "take": 1});
    assert_eq!(crate::common::put(&client, "/parts/1", back).0, Status::Ok);
    let path = "/api/v1/sounds?file_name=a.wav";
    let bring = client.post(path).header(crate::common::host()).body(&SOUND.1);
    assert_eq!(bring.dispatch().status(), Status::Created);
    let request = json!({"sound": SOUND.0, "name": "Loop", "file_name": "a.wav", "bars": 1, "beats": 4});
    let (status, laid) = crate::common::post(&client, "/loops", request);
    assert_eq!((status, LOOP), (Status::Created, format!("/parts/{}/onsets", laid["part"]).as_str()), "{laid}");
    let usual = json!({"revision": 0, "recipe": 1, "pocket": null, "grid": null, "tones": false});
    assert_eq!(crate::common::put(&client, "/defaults", usual).0, Status::Ok);
    client
}

/// What is changed below is taken as it is, so that changes reach behind the door.
#[test]
fn what_is_meant_is_taken() {
    for Meant { method, path, body } in meant() {
        let client = furnished();
        let now = if body.to_string().contains("{r}") || path.contains("revision=1") {
            revision(&client, path)
        } else {
            Value::Null
        };
        let newest = crate::common::get(&client, "/songs/1/history").1[0]["id"].clone();
        let path = path.replace("revision=1", &format!("revision={now}"));
        let path = path.replace("history/1", &format!("history/{newest}"));
        let body = if path.starts_with("/songs?") {
            SONG.to_vec()
        } else {
            body.to_string().replace("\"{r}\"", &now.to_string()).into_bytes()
        };
        let request = client.req(method, format!("/api/v1{path}")).header(host()).header(ContentType::JSON);
        let response = request.body(body).dispatch();
        let status = response.status();
        // There is no file to be heard yet, and what came with the file is not deleted.
        let refused = path.contains("renders/") || (method == Method::Delete && path.starts_with("/parts/"));
        assert!(status.code < 300 || refused, "{method} {path}: {status} {:?}", response.into_string());
    }
}

const SONG: &[u8] = include_bytes!("../../../demo/kiln-yard.mid");

fn some(seed: u64, requests: u32) {
    let mut random = StdRng::seed_from_u64(seed);
    let all = meant();
    let mut client = furnished();
    let (mut taken, mut refused) = (0, 0);
    for number in 0..requests {
        if number % 300 == 299 {
            client = furnished();
        }
        let &Meant { method, path, ref body } = all.choose(&mut random).unwrap();
        let (mut path, mut body) = (path.to_owned(), body.clone());
        for _ in 0..*[0, 1, 1, 1, 2, 3].choose(&mut random).unwrap() {
            if body.is_null() || random.random_range(0..5) == 0 {
                path = bend(&mut random, &path);
            } else {
                change(&mut random, &mut body);
            }
        }
        let mut bytes = if path.starts_with("/songs?") { SONG.to_vec() } else { body.to_string().into_bytes() };
        if bytes.windows(5).any(|text| text == b"\"{r}\"") {
            let now = revision(&client, &path).to_string();
            bytes = String::from_utf8_lossy(&bytes).replace("\"{r}\"", &now).into_bytes();
        }
        if random.random_range(0..8) == 0 && !bytes.is_empty() {
            let at = random.random_range(0..bytes.len());
            match random.random_range(0..4) {
                0 => bytes[at] = random.random(),
                1 => bytes.truncate(at),
                2 => bytes.insert(at, random.random()),
                _ => bytes.extend_from_slice(b"{}"),
            }
        }
        let kinds = [ContentType::JSON, ContentType::JSON, ContentType::JSON, ContentType::Form, ContentType::Binary];
        let request = client.req(method, format!("/api/v1{path}")).header(kinds.choose(&mut random).unwrap().clone());
        let request = match random.random_range(0..40) {
            0 => request.header(Header::new("Host", "elsewhere.example")),
            _ => request.header(host()),
        };
        let response = request.body(&bytes).dispatch();
        let shown = String::from_utf8_lossy(&bytes[..bytes.len().min(3000)]).into_owned();
        let (status, answer) = (response.status(), response.into_string());
        assert!(status.code < 500, "{method} {path} {status} {answer:?}\n{shown}");
        *if status.code < 400 { &mut taken } else { &mut refused } += 1;
        if number % 25 == 24 {
            for path in ["/songs", "/recipes", "/grooves", "/defaults", "/parts/1", "/songs/1/pockets"] {
                let (status, answer) = get(&client, path);
                let gone = status == Status::NotFound && path.contains('1');
                assert!(status == Status::Ok || gone, "{path}: {status} {answer}; last {method} {path}\n{shown}");
            }
        }
    }
    assert!(taken.min(refused) > requests / 8, "some go through and some do not: {taken} and {refused}");
}

#[test]
fn whatever_is_asked_is_answered() {
    let requests = std::env::var("VIVIDA_FUZZ").ok().and_then(|text| text.parse().ok()).unwrap_or(3_000);
    let threads = 4;
    let seed = std::env::var("VIVIDA_SEED").ok().and_then(|text| text.parse().ok()).unwrap_or(1);
    let (done, wait) = mpsc::channel();
    for thread in 0..threads {
        let done = done.clone();
        std::thread::spawn(move || {
            let outcome = std::panic::catch_unwind(|| some(seed + thread, requests / threads as u32));
            done.send(outcome.map_err(|panic| panic.downcast_ref::<String>().cloned().unwrap_or_default())).ok();
        });
    }
    for _ in 0..threads {
        // Nothing hangs: all of them are done in a time that no machine needs.
        let outcome = wait.recv_timeout(Duration::from_secs(600 + u64::from(requests) / 10)).unwrap();
        outcome.unwrap_or_else(|reason| panic!("{reason}"));
    }
}
