//! Grooves, pockets and what songs are usually given, over HTTP.

use crate::common::*;
use rocket::http::{ContentType, Status};
use rocket::local::blocking::Client;
use serde_json::{Value, json};

/// The song of this name: its id, and the ids of its parts.
fn song(client: &Client, name: &str) -> (i64, Vec<i64>) {
    let (_, songs) = get(client, "/songs");
    let card = songs.as_array().unwrap().iter().find(|card| card["name"] == name).unwrap().clone();
    let parts = card["parts"].as_array().unwrap().iter().map(|part| part["id"].as_i64().unwrap()).collect();
    (card["id"].as_i64().unwrap(), parts)
}

fn send(client: &Client, path: &str, bytes: &[u8]) -> (Status, Value) {
    let request = client.post(format!("/api/v1{path}")).header(host()).header(ContentType::Binary);
    answer(request.body(bytes).dispatch())
}

fn download(client: &Client, path: &str) -> Vec<u8> {
    client.get(format!("/api/v1{path}")).header(host()).dispatch().into_bytes().unwrap()
}

fn ticks(client: &Client, part: i64, request: Value) -> Vec<f64> {
    let (status, columns) = post(client, &format!("/parts/{part}/performance"), request);
    assert_eq!(status, Status::Ok, "{columns}");
    columns["timing"]["ticks"].as_array().unwrap().iter().map(|tick| tick.as_f64().unwrap()).collect()
}

#[test]
fn a_groove_is_taken_kept_exported_and_read_again() {
    let client = client();
    let (_, parts) = song(&client, "Tin Roof");
    let take = json!({"take": {"length": 1, "grid": "1/16", "instruments": ["closed-hat"]}, "name": "Roof hats"});
    let (status, taken) = post(&client, &format!("/parts/{}/groove", parts[0]), take);
    assert_eq!(status, Status::Ok, "{taken}");
    let name_of = |instruments: Value| {
        let take = json!({"take": {"length": 1, "grid": "1/16", "instruments": instruments}});
        post(&client, &format!("/parts/{}/groove", parts[0]), take).1["groove"]["name"].clone()
    };
    assert_eq!(name_of(json!([])), "Tin Roof, Pads kit take 3");
    assert_eq!(name_of(json!(["kick", "closed-hat"])), "Tin Roof, Closed hat and Kick");
    assert_eq!(taken["groove"]["metre"]["numerator"], 5);
    let (_, whole) = post(&client, &format!("/parts/{}/groove", parts[0]), json!({"take": {"length": 1}}));
    assert!(whole["said"][0].as_str().unwrap().contains("another metre than 5/4"), "{}", whole["said"]);
    assert!(taken["reading"]["steady"].as_f64().unwrap() > 1.0, "a rough performance");
    assert_eq!(taken["hits"]["slots"].as_array().unwrap().len(), taken["reading"]["hits"].as_u64().unwrap() as usize);

    let (status, kept) = post(&client, "/grooves", json!({"note": "rough", "groove": taken["groove"]}));
    assert_eq!((status, &kept["groove"]), (Status::Created, &taken["groove"]));
    let id = &kept["id"];
    let json_file = download(&client, &format!("/grooves/{id}/file"));
    let (status, again) = send(&client, "/grooves/file?file_name=hats.groove.json", &json_file);
    assert_eq!((status, &again["card"]["groove"]), (Status::Created, &taken["groove"]));
    let clip = download(&client, &format!("/grooves/{id}/clip.mid"));
    let (status, again) = send(&client, "/grooves/file?file_name=hats.mid", &clip);
    assert_eq!((status, &again["card"]["groove"]["grid"]), (Status::Created, &json!("1/16")));
    let offset = |groove: &Value| groove["families"]["hat"]["3"]["offset"].as_f64().unwrap();
    assert!((offset(&again["card"]["groove"]) - offset(&taken["groove"])).abs() * 240.0 <= 0.5 + 1e-6);

    // Changed, loved, deleted, and undone on the shelf.
    let change =
        |revision: &Value| json!({"revision": revision, "note": "x", "favourite": true, "groove": taken["groove"]});
    let (status, loved) = put(&client, &format!("/grooves/{id}"), change(&kept["revision"]));
    assert_eq!((status, &loved["favourite"]), (Status::Ok, &json!(true)));
    assert_eq!(put(&client, &format!("/grooves/{id}"), change(&kept["revision"])).0, Status::Conflict);
    assert_eq!(get(&client, "/grooves").1[0]["id"], *id);
    assert_eq!(delete(&client, &format!("/grooves/{id}?revision={}", loved["revision"])).0, Status::NoContent);
    post(&client, "/shelf/undo", json!({}));
    assert_eq!(get(&client, "/grooves").1[0]["id"], *id);
}

#[test]
fn what_is_no_groove_is_refused_by_name() {
    let client = client();
    let (_, parts) = song(&client, "Causeway");
    for (file, bytes, said) in [
        ("a.groove.json", &b"{\"format\": \"vivida-groove\", \"version\": 1, \"bars\": 99}"[..], "bars: 99 is outside"),
        ("b.json", b"{\"format\": \"vivida-groove\", \"version\": 1, \"tempo\": NaN}", "no JSON"),
        ("c.mid", b"MThd", "ends inside its header"),
        ("d.groove.json", b"\xff\xfe", "no text"),
    ] {
        let (status, problem) = send(&client, &format!("/grooves/file?file_name={file}"), bytes);
        let detail = problem["detail"].as_str().unwrap();
        assert_eq!(status, Status::UnprocessableEntity, "{detail}");
        assert!(detail.contains(file) && detail.contains(said), "{detail}");
    }
    let take = |take: Value| post(&client, &format!("/parts/{}/groove", parts[0]), json!({"take": take})).1;
    assert_eq!(take(json!({"length": 0}))["field"], "take.length");
    assert_eq!(take(json!({"length": 1, "bars": {"from": 900, "to": 901}}))["field"], "take.bars");
    assert_eq!(take(json!({"length": 1, "instruments": ["gong"]}))["field"], "take.instruments");
    let (status, problem) = post(&client, "/grooves", json!({"groove": {"together": {"40": {}}}}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("groove.together.40")));
}

#[test]
fn a_pocket_is_shared_by_instruments_and_parts() {
    let client = client();
    let (id, parts) = song(&client, "Causeway");
    let (drums, bass) = (parts[0], parts[1]);
    let followers = json!([{"part": drums, "instruments": ["kick"]}, {"part": bass}]);
    let settings = json!({"lean": {"by": 10}});
    let request = json!({"name": "Rhythm section", "settings": settings, "followers": followers});
    let (status, made) = post(&client, &format!("/songs/{id}/pockets"), request);
    assert_eq!(status, Status::Ok, "{made}");
    let pocket = &made["pockets"][0];
    assert_eq!(pocket["followers"][0]["names"], json!(["Kick"]));
    assert_eq!(pocket["followers"][1]["part"], bass);

    // A draft of its settings is heard without being kept.
    let recipe =
        |part: i64| made["parts"].as_array().unwrap().iter().find(|one| one["id"] == part).unwrap()["recipe"].clone();
    let play = |pockets: Value| {
        ticks(&client, bass, json!({"recipe": recipe(bass), "variation": 1, "round": 0, "pockets": pockets}))
    };
    let (kept, later) = (play(json!({})), play(json!({pocket["id"].to_string(): {"lean": {"by": 20}}})));
    // 10 ms at 96 bpm are 15.36 ticks.
    assert!(((later[3] - kept[3]) - 15.36).abs() <= 1.0, "{} {}", later[3], kept[3]);
    assert_eq!(play(json!({})), kept);
    let wrong = json!({"recipe": recipe(bass), "variation": 1, "round": 0, "pockets": {"1": {"lean": {"by": 900}}}});
    assert_eq!(post(&client, &format!("/parts/{bass}/performance"), wrong).1["field"], "pockets.1.lean.by");

    let groove = |pockets: Value| {
        let request = json!({"take": {"length": 1, "grid": "1/16"}, "recipe": recipe(bass), "pockets": pockets});
        let (_, taken) = post(&client, &format!("/parts/{bass}/groove"), request);
        taken["reading"]["voices"][0]["offsets"][0].as_f64().unwrap()
    };
    let drafted = groove(json!({pocket["id"].to_string(): {"lean": {"by": 20}}}));
    assert!((drafted - groove(json!({})) - 10.0).abs() < 1.0, "what is taken is what is heard");

    // Two tabs: the second one is told what the first one made of it.
    let path = format!("/pockets/{}", pocket["id"]);
    let change = |by: i64| json!({"revision": pocket["revision"], "label": "lean", "name": "Rhythm section", "settings": {"lean": {"by": by}}});
    assert_eq!(put(&client, &path, change(20)).0, Status::Ok);
    let (status, problem) = put(&client, &path, change(5));
    assert_eq!((status, &problem["pockets"]["pockets"][0]["settings"]["lean"]["by"]), (Status::Conflict, &json!(20.0)));
    assert_eq!(play(json!({})), later, "both parts follow at once");

    // A follower's own strength, off, detached; all with undo.
    let follower = &made["pockets"][0]["followers"][1];
    let tell = |change: Value| {
        post(&client, &format!("{path}/followers"), json!({"part": bass, "pass": follower["pass"], "change": change}))
    };
    let (_, told) = tell(json!({"kind": "strength", "strength": 50}));
    assert_eq!(told["pockets"][0]["followers"][1]["strength"], 50.0);
    assert_eq!(tell(json!({"kind": "strength", "strength": 500})).1["field"], "change.strength");
    let (_, told) = tell(json!({"kind": "switch", "on": false}));
    assert_eq!(told["pockets"][0]["followers"][1]["on"], false);
    let (_, told) = tell(json!({"kind": "detach"}));
    assert_eq!(told["pockets"][0]["followers"].as_array().unwrap().len(), 1);
    let of_bass = |told: &Value| {
        told["parts"].as_array().unwrap().iter().find(|one| one["id"] == bass).unwrap()["recipe"]["passes"][0].clone()
    };
    assert_eq!((&of_bass(&told)["action"]["by"], &of_bass(&told)["on"]), (&json!(10.0), &json!(false)));
    assert_eq!(tell(json!({"kind": "leave"})).0, Status::UnprocessableEntity, "it follows no more");
    let join = json!({"part": bass, "change": {"kind": "follow", "instruments": []}});
    assert_eq!(post(&client, &format!("{path}/followers"), join).0, Status::Ok);

    // Deleted while it is followed: its settings stay as ordinary passes, and undo brings all back.
    let (_, now) = get(&client, &format!("/songs/{id}/pockets"));
    let (status, gone) = delete(&client, &format!("{path}?revision={}", now[0]["revision"]));
    assert_eq!((status, gone["pockets"].as_array().unwrap().len()), (Status::Ok, 0));
    let kinds = |state: &Value| {
        state["recipe"]["passes"]
            .as_array()
            .unwrap()
            .iter()
            .map(|pass| pass["action"]["kind"].to_string())
            .collect::<Vec<_>>()
    };
    assert!(gone["parts"].as_array().unwrap().iter().all(|state| !kinds(state).contains(&"\"pocket\"".to_owned())));
    post(&client, &format!("/songs/{id}/undo"), json!({}));
    assert_eq!(get(&client, &format!("/songs/{id}/pockets")).1[0]["followers"].as_array().unwrap().len(), 2);
}

#[test]
fn passes_that_leave_their_song_leave_its_pockets() {
    let client = client();
    let (id, parts) = song(&client, "Causeway");
    let (_, others) = song(&client, "Kiln Yard");
    let request = json!({"name": "Late", "settings": {"lean": {"by": 10}}, "followers": [{"part": parts[0]}]});
    let (_, made) = post(&client, &format!("/songs/{id}/pockets"), request);
    let recipe = made["parts"][0]["recipe"].clone();
    assert_eq!(recipe["passes"][0]["action"]["kind"], "pocket");
    let (_, saved) = post(&client, "/recipes", json!({"name": "Late", "recipe": recipe}));
    assert_eq!(saved["recipe"]["passes"][0]["action"]["kind"], "lean");
    // Within the song a copied pass follows as well.
    for (part, kind) in [(parts[1], "pocket"), (others[0], "lean")] {
        post(&client, &format!("/parts/{part}/passes"), json!({"recipe": recipe}));
        let (_, detail) = get(&client, &format!("/parts/{part}"));
        assert_eq!(detail["state"]["recipe"]["passes"][0]["action"]["kind"], kind);
    }
}

#[test]
fn the_usual_feel_is_one_step() {
    let client = client();
    let (id, parts) = song(&client, "Night Ferry");
    assert!(
        post(&client, &format!("/songs/{id}/defaults"), json!({})).1["detail"].as_str().unwrap().contains("Usual feel")
    );
    let level = json!({"passes": [{"id": 1, "aim": {"instruments": ["cowbell"]}, "action": {"kind": "level", "by": 3}},
                                   {"id": 2, "action": {"kind": "level", "by": 2}}]});
    let (_, recipe) = post(&client, "/recipes", json!({"name": "Louder", "recipe": level}));
    let usual = json!({"revision": 0, "recipe": recipe["id"], "pocket": {"name": "Loose", "settings": {"loosen": {"late": 9}}}, "grid": "1/8 triplet", "tones": true});
    assert_eq!(put(&client, "/defaults", usual.clone()).1["revision"], 1);
    assert_eq!(put(&client, "/defaults", usual).0, Status::Conflict, "made on what was there before");
    assert_eq!(get(&client, "/defaults").1["grid"], "1/8 triplet");
    let wrong = json!({"pocket": {"name": "x", "settings": {"loosen": {"late": 900}}}});
    assert_eq!(put(&client, "/defaults", wrong).1["field"], "pocket.settings.loosen.late");

    let (status, applied) = post(&client, &format!("/songs/{id}/defaults"), json!({}));
    assert_eq!((status, &applied["parts"]), (Status::Ok, &json!(parts.len())), "{applied}");
    assert!(applied["said"][0].as_str().unwrap().contains("no cowbell"), "{applied}");
    let (_, drums) = get(&client, &format!("/parts/{}", parts[0]));
    assert_eq!(
        (&drums["grid"], &drums["state"]["lines"]["all"]["grid"]),
        (&json!("1/8 triplet"), &json!("1/8 triplet"))
    );
    let kinds: Vec<&Value> =
        drums["state"]["recipe"]["passes"].as_array().unwrap().iter().map(|pass| &pass["action"]["kind"]).collect();
    assert_eq!(kinds, ["level", "pocket"]);
    let (_, pockets) = get(&client, &format!("/songs/{id}/pockets"));
    assert_eq!(pockets[0]["followers"].as_array().unwrap().len(), parts.len());
    post(&client, &format!("/songs/{id}/undo"), json!({}));
    assert_eq!(get(&client, &format!("/songs/{id}/pockets")).1, json!([]));
    let (_, drums) = get(&client, &format!("/parts/{}", parts[0]));
    assert_eq!(
        (drums["state"]["recipe"]["passes"].as_array().unwrap().len(), &drums["state"]["lines"]["all"]),
        (0, &Value::Null)
    );
}

#[test]
fn a_part_is_measured_against_the_grid_that_was_chosen() {
    let client = client();
    let (_, parts) = song(&client, "Causeway");
    let (_, detail) = get(&client, &format!("/parts/{}", parts[0]));
    let change = |fields: Value| {
        let (_, now) = get(&client, &format!("/parts/{}", parts[0]));
        let mut request = json!({"revision": now["state"]["revision"], "label": "grid"});
        request.as_object_mut().unwrap().extend(fields.as_object().unwrap().clone());
        put(&client, &format!("/parts/{}", parts[0]), request)
    };
    assert_eq!(change(json!({"lines": {"all": {"grid": "1/4"}}})).0, Status::Ok);
    let (_, coarse) = get(&client, &format!("/parts/{}", parts[0]));
    assert_eq!(coarse["grid"], "1/4");
    assert!(coarse["reading"]["all"]["on_grid"].as_f64() < detail["reading"]["all"]["on_grid"].as_f64());
    assert_eq!(change(json!({"lines": {"all": {"grid": "1/3"}}})).0, Status::UnprocessableEntity);
    change(json!({"lines": {}}));
    assert_eq!(get(&client, &format!("/parts/{}", parts[0])).1["grid"], detail["grid"]);
}

/// A song with 60 bpm from the middle of a beat at 120 on.
fn slowing_within_a_beat() -> Vec<u8> {
    let mut track = b"\0\xff\x51\x03\x07\xa1\x20\0\x99\x24\x64\x78\x89\x24\x40".to_vec();
    // 240 ticks at 480 a quarter; 1 000 000 µs from there on.
    track.extend(b"\x78\xff\x51\x03\x0f\x42\x40\x9e\x00\x99\x24\x64\x78\x89\x24\x40\0\xff\x2f\0");
    let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    file.extend((track.len() as u32).to_be_bytes());
    file.extend(track);
    file
}

#[test]
fn time_is_told_as_it_is_also_where_the_tempo_changes_within_a_beat() {
    let client = client();
    let (status, card) = send(&client, "/songs?file_name=slowing.mid", &slowing_within_a_beat());
    assert_eq!(status, Status::Created, "{card}");
    let night_ferry = song(&client, "Night Ferry").0;
    for (id, least) in [(card["id"].as_i64().unwrap(), 3), (night_ferry, 5)] {
        let file = vivida_smf::read(&download(&client, &format!("/songs/{id}/original"))).unwrap();
        let bars = get(&client, &format!("/songs/{id}")).1["bars"].clone();
        let column = |name: &str| -> Vec<f64> { serde_json::from_value(bars[name].clone()).unwrap() };
        let (ticks, seconds) = (column("even_ticks"), column("even_seconds"));
        assert!(ticks.len() >= least && ticks.is_sorted_by(|a, b| a < b), "{ticks:?}");
        let scale = file.ppq.as_f64() / 24.0;
        let end = *ticks.last().unwrap();
        for tick in (0..).map(|place| f64::from(place) * scale).take_while(|tick| *tick <= end) {
            let after = ticks.partition_point(|one| *one <= tick).clamp(1, ticks.len() - 1);
            let share = (tick - ticks[after - 1]) / (ticks[after] - ticks[after - 1]);
            let at = seconds[after - 1] + share * (seconds[after] - seconds[after - 1]);
            assert!((at - file.tempo.seconds(vivida_core::Ticks(tick))).abs() < 1e-9, "song {id} at {tick}");
        }
    }
    let bars = get(&client, &format!("/songs/{}", card["id"])).1["bars"].clone();
    assert_eq!((&bars["even_ticks"][1], &bars["even_seconds"][1]), (&json!(480.0), &json!(0.25)), "at 960 a quarter");
}

#[test]
fn lines_are_told_with_where_hits_are_left_alone_and_their_ranges_are_those_of_pull() {
    let client = client();
    let lines = |more: &str| get(&client, &format!("/songs/1/grid-lines?grid=1/4&from=0&to=1920{more}"));
    let (status, plain) = lines("");
    assert_eq!(status, Status::Ok, "{plain}");
    assert_eq!(plain, json!({"lines": [0.0, 960.0, 1920.0], "left_alone": {"forgiven": [], "beyond": []}}));
    // 96 bpm: 960 ticks in 625 ms.
    let (_, near) = lines("&forgive=62.5&reach=125");
    assert_eq!(near["left_alone"]["forgiven"], json!([[-96.0, 96.0], [864.0, 1056.0], [1824.0, 2016.0]]));
    assert_eq!(near["left_alone"]["beyond"], json!([[192.0, 768.0], [1152.0, 1728.0]]));
    for (wrong, field) in
        [("&forgive=100.5", "forgive"), ("&reach=501", "reach"), ("&swing=81", "swing"), ("&forgive=NaN", "forgive")]
    {
        let (status, problem) = lines(wrong);
        assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!(field)), "{wrong}: {problem}");
    }
}
