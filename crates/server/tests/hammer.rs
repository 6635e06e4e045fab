//! Several clients that write at once, on every route that writes: nothing that was acknowledged is lost.
//! `VIVIDA_HAMMER` is for how many seconds they do.

use crate::common::{delete, get, patch, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::{Arc, Barrier};
use std::time::{Duration, Instant};
use vivida_server::App;
use vivida_store::Store;

const CLIENTS: usize = 4;

/// One client, what of the songs is its own, and as what it was last acknowledged.
struct Hand {
    client: Client,
    number: usize,
    count: usize,
    conflicts: usize,
    pass: u64,
    follower: u64,
    pocket: u64,
    recipe: u64,
    groove: u64,
    kit: u64,
    take: Option<Value>,
    part: Option<Value>,
    known: BTreeMap<&'static str, Value>,
    usual_given: usize,
}

/// A song that was begun here, behind the demo songs, and its part.
const DRAWN_SONG: u32 = 7;
const DRAWN_PART: u32 = 14;

const INSTRUMENTS: [&str; CLIENTS] = ["kick", "snare", "closed-hat", "crash-1"];

impl Hand {
    fn name(&self) -> String {
        format!("{} of {}", self.count, self.number)
    }

    /// Reads what is there, and changes it, until nobody was faster.
    fn until_done(&mut self, once: impl Fn(&Hand) -> (Status, Value)) -> Value {
        loop {
            let (status, answer) = once(self);
            match status {
                Status::Conflict => self.conflicts += 1,
                status if status.code < 300 => return answer,
                status => panic!("{status}: {answer}"),
            }
        }
    }

    fn changes_part(&mut self, gestures: Value) -> Value {
        self.until_done(|hand| {
            let revision = get(&hand.client, "/parts/1").1["state"]["revision"].clone();
            let change = json!({"revision": revision, "label": hand.name(), "gestures": gestures});
            put(&hand.client, "/parts/1", change)
        })
    }

    fn revision_in(&self, list: &str, id: u64) -> Value {
        let (_, all) = get(&self.client, list);
        let one = all.as_array().unwrap().iter().find(|one| one["id"] == id);
        one.unwrap_or_else(|| panic!("{list} has no {id}"))["revision"].clone()
    }

    fn begin(app: &Arc<App>, number: usize) -> Hand {
        let client = Client::untracked(vivida_server::rocket(Arc::clone(app), 0)).unwrap();
        let level = json!({"id": 1, "name": format!("of {number}"), "action": {"kind": "level", "by": 1}});
        let mut hand = Hand {
            client,
            number,
            count: 0,
            conflicts: 0,
            pass: 0,
            follower: 0,
            pocket: 0,
            recipe: 0,
            groove: 0,
            kit: 0,
            take: None,
            part: None,
            known: BTreeMap::new(),
            usual_given: 0,
        };
        let (_, made) =
            post(&hand.client, "/songs/1/pockets", json!({"name": "Ours", "settings": {"lean": {"by": 1}}}));
        hand.pocket = made["pockets"].as_array().unwrap().last().unwrap()["id"].as_u64().unwrap();
        let change = json!({"kind": "follow", "instruments": [INSTRUMENTS[number]]});
        let path = format!("/pockets/{}/followers", hand.pocket);
        let (status, told) = post(&hand.client, &path, json!({"part": 1, "change": change}));
        assert_eq!(status, Status::Ok, "{told}");
        hand.changes_part(json!([{"kind": "add-passes", "passes": [level]}]));
        for pass in get(&hand.client, "/parts/1").1["state"]["recipe"]["passes"].as_array().unwrap() {
            if pass["name"] == format!("of {number}") {
                hand.pass = pass["id"].as_u64().unwrap();
            }
            if pass["action"]["pocket"] == hand.pocket {
                hand.follower = pass["id"].as_u64().unwrap();
            }
        }
        let recipe = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 3}}]});
        hand.recipe =
            post(&hand.client, "/recipes", json!({"name": "Ours", "recipe": recipe})).1["id"].as_u64().unwrap();
        hand.kit = post(&hand.client, "/kits", json!({"kit": hand.kit_named("Ours")})).1["id"].as_u64().unwrap();
        hand.groove = post(&hand.client, "/grooves", json!({"groove": hand.groove()})).1["id"].as_u64().unwrap();
        hand
    }

    fn kit_named(&self, name: &str) -> Value {
        let stroke = json!({"name": "struck", "note": 36});
        let kick =
            json!({"id": "kick", "name": name, "family": "kick", "limb": "right-foot", "articulations": [stroke]});
        json!({"name": name, "instruments": [kick]})
    }

    fn groove(&self) -> Value {
        json!({"name": self.name(), "together": {"2": {"offset": 0.1}}})
    }

    /// One change to one of the things that are its own.
    fn change(&mut self) {
        self.count += 1;
        let value = json!((self.count % 60 + 1) as f64);
        let (count, number) = (self.count, self.number);
        match self.count % 23 {
            0 | 1 => {
                self.changes_part(json!([{"kind": "set", "pass": self.pass, "setting": "by", "value": value}]));
                self.known.insert("pass", value);
            }
            2 => {
                let change = json!({"kind": "strength", "strength": value});
                let body = json!({"part": 1, "pass": self.follower, "change": change});
                let path = format!("/pockets/{}/followers", self.pocket);
                let (status, told) = post(&self.client, &path, body);
                assert_eq!(status, Status::Ok, "{told}");
                self.known.insert("follower", value);
            }
            3 => {
                self.until_done(|hand| {
                    let revision = hand.revision_in("/songs/1/pockets", hand.pocket);
                    let body = json!({"revision": revision, "label": "lean", "name": hand.name(), "settings": {"lean": {"by": 2}}});
                    put(&hand.client, &format!("/pockets/{}", hand.pocket), body)
                });
                self.known.insert("pocket", json!(self.name()));
            }
            4 => {
                self.until_done(|hand| {
                    let revision = hand.revision_in("/recipes", hand.recipe);
                    let body = json!({"revision": revision, "name": hand.name(), "note": ""});
                    patch(&hand.client, &format!("/recipes/{}", hand.recipe), body)
                });
                self.known.insert("recipe", json!(self.name()));
            }
            5 => {
                self.until_done(|hand| {
                    let revision = hand.revision_in("/grooves", hand.groove);
                    let body =
                        json!({"revision": revision, "note": hand.name(), "favourite": true, "groove": hand.groove()});
                    put(&hand.client, &format!("/grooves/{}", hand.groove), body)
                });
                self.known.insert("groove", json!(self.name()));
            }
            6 => {
                let layers = json!([1, 20 + count % 50, 90]);
                let (status, told) = put(&self.client, "/kit/layers", json!({INSTRUMENTS[number]: layers}));
                assert_eq!(status, Status::NoContent, "{told}");
                self.known.insert("layers", layers);
            }
            // A pass that is put there and taken away again.
            7 => {
                let mine = json!({"passes": [{"id": 1, "name": format!("for now {number}"), "action": {"kind": "level", "by": 1}}]});
                let (status, told) = post(&self.client, "/parts/1/passes", json!({"recipe": mine}));
                assert_eq!(status, Status::Ok, "{told}");
            }
            8 => {
                let (_, part) = get(&self.client, "/parts/1");
                let passes = part["state"]["recipe"]["passes"].as_array().unwrap().clone();
                let mine: Vec<_> = passes.iter().filter(|pass| pass["name"] == format!("for now {number}")).collect();
                assert_eq!(mine.len(), 1, "the pass of {number} was put there and is there");
                self.changes_part(json!([{"kind": "delete-pass", "pass": mine[0]["id"]}]));
            }
            // A take of another part, printed and deleted.
            9 => {
                let state = self.until_done(|hand| {
                    let revision = get(&hand.client, "/parts/2").1["state"]["revision"].clone();
                    post(&hand.client, "/parts/2/takes", json!({"revision": revision, "name": hand.name()}))
                });
                let name = self.name();
                let take = state["takes"].as_array().unwrap().iter().find(|take| take["name"] == name).unwrap();
                self.take = Some(take["id"].clone());
                self.until_done(|hand| {
                    let revision = get(&hand.client, "/parts/2").1["state"]["revision"].clone();
                    put(&hand.client, "/parts/2", json!({"revision": revision, "label": "back", "take": 2}))
                });
            }
            10 => {
                let take = self.take.take().unwrap();
                self.until_done(|hand| {
                    let revision = get(&hand.client, "/parts/2").1["state"]["revision"].clone();
                    // Whoever printed meanwhile works on that take; it cannot be deleted as long as it is open.
                    delete(&hand.client, &format!("/parts/2/takes/{take}?revision={revision}"))
                });
            }
            11 => {
                let (status, second) = post(&self.client, "/parts/1/duplicate", Value::Null);
                assert_eq!(status, Status::Created, "{second}");
                self.part = Some(second["id"].clone());
            }
            12 => {
                let part = self.part.take().unwrap();
                self.until_done(|hand| {
                    let revision = get(&hand.client, &format!("/parts/{part}")).1["state"]["revision"].clone();
                    delete(&hand.client, &format!("/parts/{part}?revision={revision}"))
                });
            }
            13 => {
                self.until_done(|hand| {
                    let revision = get(&hand.client, "/defaults").1["revision"].clone();
                    let recipe = hand.recipe;
                    put(
                        &hand.client,
                        "/defaults",
                        json!({"revision": revision, "recipe": recipe, "pocket": null, "grid": null, "tones": false}),
                    )
                });
            }
            14 if self.usual_given < 20 => {
                let (status, told) = post(&self.client, "/songs/1/defaults", Value::Null);
                assert_eq!(status, Status::Ok, "{told}");
                self.usual_given += 1;
            }
            15 => {
                self.until_done(|hand| {
                    let song = get(&hand.client, "/songs/1").1;
                    let mut sections: Vec<Value> = song["sections"].as_array().unwrap().clone();
                    sections.retain(|section| section["from"] != number + 1);
                    sections.push(json!({"name": hand.name(), "from": number + 1, "to": number + 1}));
                    sections.retain(|section| {
                        section["to"].as_u64().unwrap() <= CLIENTS as u64 && section["from"] == section["to"]
                    });
                    put(&hand.client, "/songs/1/sections", json!({"revision": song["revision"], "sections": sections}))
                });
                self.known.insert("section", json!(self.name()));
            }
            17 => {
                self.until_done(|hand| {
                    let revision = hand.revision_in("/kits", hand.kit);
                    let body = json!({"revision": revision, "label": "rename", "kit": hand.kit_named(&hand.name())});
                    put(&hand.client, &format!("/kits/{}", hand.kit), body)
                });
                self.known.insert("kit", json!(self.name()));
            }
            // Another kit for a second part of its own, which then goes with it.
            18 => {
                let (status, second) = post(&self.client, "/parts/1/duplicate", Value::Null);
                assert_eq!(status, Status::Created, "{second}");
                let part = second["id"].clone();
                let revision =
                    |hand: &Hand| get(&hand.client, &format!("/parts/{part}")).1["state"]["revision"].clone();
                let state = self.until_done(|hand| {
                    let body = json!({"revision": revision(hand), "kit": hand.kit, "keep_notes": count % 2 == 0});
                    put(&hand.client, &format!("/parts/{part}/kit"), body)
                });
                assert!(state["kit"]["id"].is_u64(), "{state}");
                self.until_done(|hand| delete(&hand.client, &format!("/parts/{part}?revision={}", revision(hand))));
            }
            // All of a drum of a song that was begun here, as hard as this; in bars that come and go.
            20 => {
                self.until_done(|hand| {
                    let revision = get(&hand.client, &format!("/parts/{DRAWN_PART}")).1["state"]["revision"].clone();
                    let fill = json!({"kind": "fill", "instrument": INSTRUMENTS[number], "from": 0, "to": 1e9,
                        "grid": "1/4", "path": [{"tick": 0, "velocity": count % 100 + 1}]});
                    let body = json!({"revision": revision, "label": hand.name(), "drawings": [fill]});
                    put(&hand.client, &format!("/parts/{DRAWN_PART}/written"), body)
                });
                self.known.insert("drawn", json!(count % 100 + 1));
            }
            21 => {
                for edit in [
                    json!({"kind": "insert", "before": 1, "count": 1}),
                    json!({"kind": "move", "bars": {"from": 1, "to": 1}, "before": 3}),
                    json!({"kind": "delete", "bars": {"from": 1, "to": 1}}),
                ] {
                    self.until_done(|hand| {
                        let song = get(&hand.client, &format!("/songs/{DRAWN_SONG}")).1;
                        let body = json!({"revision": song["revision"], "edit": edit});
                        put(&hand.client, &format!("/songs/{DRAWN_SONG}/bars"), body)
                    });
                }
            }
            // Recorded in a part of its own: one window at a time, and each recording a step.
            22 => {
                let (status, second) = post(&self.client, "/parts/1/duplicate", Value::Null);
                assert_eq!(status, Status::Created, "{second}");
                let part = second["id"].clone();
                let (_, card) =
                    post(&self.client, &format!("/parts/{part}/recordings"), json!({"client": self.name()}));
                let id = card["id"].clone();
                for piece in 0..3 {
                    let body = json!({"number": piece, "last": piece == 2, "piece": {
                        "devices": [{"name": "pads", "latency": 0}],
                        "messages": [{"at": 1000 * piece + 500, "device": 0, "data": [0x99, 38, count % 100 + 1]}],
                        "clock": [{"device": 0, "at": 1000 * piece, "audio": piece}],
                        "course": [{"audio": 0, "second": 0, "tempo": 1, "round": 0}]}});
                    assert_eq!(post(&self.client, &format!("/recordings/{id}/pieces"), body).0, Status::NoContent);
                }
                let revision =
                    |hand: &Hand| get(&hand.client, &format!("/parts/{part}")).1["state"]["revision"].clone();
                let detail = self.until_done(|hand| {
                    let body = json!({"revision": revision(hand), "laying": {"how": "replace"}});
                    put(&hand.client, &format!("/recordings/{id}"), body)
                });
                let takes = detail["state"]["takes"].as_array().unwrap();
                assert_eq!(takes.last().unwrap()["name"], "Recorded", "{takes:?}");
                self.until_done(|hand| delete(&hand.client, &format!("/parts/{part}?revision={}", revision(hand))));
            }
            // A second part of its own, split and thrown away with what was made of it.
            16 => {
                let (status, second) = post(&self.client, "/parts/1/duplicate", Value::Null);
                assert_eq!(status, Status::Created, "{second}");
                let id = second["id"].clone();
                let split = self.until_done(|hand| {
                    let revision = get(&hand.client, &format!("/parts/{id}")).1["state"]["revision"].clone();
                    let body = json!({"revision": revision, "groups": [["kick"]]});
                    post(&hand.client, &format!("/parts/{id}/split"), body)
                });
                for part in split["parts"].as_array().unwrap().iter().chain([&id]) {
                    self.until_done(|hand| {
                        let revision = get(&hand.client, &format!("/parts/{part}")).1["state"]["revision"].clone();
                        delete(&hand.client, &format!("/parts/{part}?revision={revision}"))
                    });
                }
            }
            _ => {
                let duplicate = || {
                    let (status, card) = post(&self.client, "/songs/2/duplicate", Value::Null);
                    assert_eq!(status, Status::Created, "{card}");
                    card
                };
                let two = [duplicate(), duplicate()];
                self.until_done(|hand| {
                    let now = |card: &Value| get(&hand.client, &format!("/songs/{}", card["id"])).1["revision"].clone();
                    let songs: Vec<Value> =
                        two.iter().map(|card| json!({"id": card["id"], "revision": now(card)})).collect();
                    post(&hand.client, "/songs/delete", json!({"songs": songs}))
                });
                let (status, card) = post(&self.client, "/songs/2/duplicate", Value::Null);
                assert_eq!(status, Status::Created, "{card}");
                self.until_done(|hand| {
                    let revision = get(&hand.client, &format!("/songs/{}", card["id"])).1["revision"].clone();
                    delete(&hand.client, &format!("/songs/{}?revision={revision}", card["id"]))
                });
                let view = json!({"loop": [1, count]});
                let name = format!("/views/hand-{number}");
                assert_eq!(put(&self.client, &name, view.clone()).0, Status::NoContent);
                self.known.insert("view", view);
            }
        }
    }

    /// What it was told is done is so.
    fn check(&self) {
        let (_, part) = get(&self.client, "/parts/1");
        let pass = |id: u64| {
            let passes = part["state"]["recipe"]["passes"].as_array().unwrap();
            passes.iter().find(|pass| pass["id"] == id).unwrap_or_else(|| panic!("pass {id} is lost")).clone()
        };
        let in_list = |list: &str, id: u64| {
            let all = get(&self.client, list).1;
            all.as_array()
                .unwrap()
                .iter()
                .find(|one| one["id"] == id)
                .unwrap_or_else(|| panic!("{list}/{id} is lost"))
                .clone()
        };
        for (what, value) in &self.known {
            let there = match *what {
                "pass" => pass(self.pass)["action"]["by"].clone(),
                "follower" => pass(self.follower)["action"]["strength"].clone(),
                "pocket" => in_list("/songs/1/pockets", self.pocket)["name"].clone(),
                "recipe" => in_list("/recipes", self.recipe)["name"].clone(),
                "kit" => in_list("/kits", self.kit)["kit"]["name"].clone(),
                "groove" => in_list("/grooves", self.groove)["note"].clone(),
                "layers" => part["kit"]["instruments"]
                    .as_array()
                    .unwrap()
                    .iter()
                    .find(|one| one["id"] == INSTRUMENTS[self.number])
                    .map_or(Value::Null, |one| {
                        one["layers"].as_array().unwrap().iter().map(|layer| layer["from"].clone()).collect()
                    }),
                "section" => {
                    let sections = get(&self.client, "/songs/1").1["sections"].as_array().unwrap().clone();
                    let mine = sections.iter().find(|section| section["from"] == self.number + 1);
                    mine.map_or(Value::Null, |section| section["name"].clone())
                }
                "drawn" => {
                    let (_, drawn) = get(&self.client, &format!("/parts/{DRAWN_PART}"));
                    let own = |place: &Value| {
                        drawn["kit"]["instruments"][place.as_u64().unwrap() as usize]["id"] == INSTRUMENTS[self.number]
                    };
                    let places = drawn["written"]["instruments"].as_array().unwrap().iter();
                    let velocities = drawn["written"]["velocities"].as_array().unwrap().iter().zip(places);
                    let mut own = velocities.filter(|(_, place)| own(place)).map(|(velocity, _)| velocity.clone());
                    let first = own.next().unwrap_or_default();
                    assert!(own.all(|velocity| velocity == first), "a stroke of {} was lost in part", self.number);
                    first
                }
                "view" => get(&self.client, &format!("/views/hand-{}", self.number)).1,
                other => panic!("{other}"),
            };
            assert_eq!(&there, value, "{what} of {} after {} changes", self.number, self.count);
        }
    }
}

#[test]
fn nothing_that_was_acknowledged_is_lost() {
    let seconds = std::env::var("VIVIDA_HAMMER").ok().and_then(|text| text.parse().ok()).unwrap_or(4);
    let app = App::new(Store::temporary().unwrap());
    app.add_demo().unwrap();
    let app = Arc::new(app);
    let outline = json!({"bars": 8, "tempos": [{"bar": 1, "bpm": 90}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let first = Client::untracked(vivida_server::rocket(Arc::clone(&app), 0)).unwrap();
    let (_, card) = post(&first, "/songs/begun", json!({"name": "Ours", "outline": outline, "kit": 1}));
    assert_eq!((&card["id"], &card["parts"][0]["id"]), (&json!(DRAWN_SONG), &json!(DRAWN_PART)));
    let barrier = Arc::new(Barrier::new(CLIENTS));
    let hands = (0..CLIENTS).map(|number| {
        let (app, barrier) = (Arc::clone(&app), Arc::clone(&barrier));
        std::thread::spawn(move || {
            let mut hand = Hand::begin(&app, number);
            barrier.wait();
            let end = Instant::now() + Duration::from_secs(seconds);
            while Instant::now() < end || hand.count < 40 {
                hand.change();
                hand.check();
            }
            hand
        })
    });
    let hands: Vec<_> = hands.collect();
    let hands: Vec<Hand> = hands.into_iter().map(|hand| hand.join().unwrap()).collect();
    hands.iter().for_each(Hand::check);
    let changes: usize = hands.iter().map(|hand| hand.count).sum();
    let conflicts: usize = hands.iter().map(|hand| hand.conflicts).sum();
    println!("{changes} changes, {conflicts} conflicts");
    assert!(conflicts > 0, "they met");
    let passes = get(&hands[0].client, "/parts/1").1["state"]["recipe"]["passes"].as_array().unwrap().len();
    // A pass and a follower of each, those of the usual feel, and at most one in between.
    let given: usize = hands.iter().map(|hand| hand.usual_given).sum();
    assert!((2 * CLIENTS + given..=3 * CLIENTS + given).contains(&passes), "{passes} passes, {given} given");
}
