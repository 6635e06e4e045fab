//! The API against a plain model: random changes, undo, redo, restarts, two clients.

#[path = "../../store/tests/common/model.rs"]
mod shelf;

use crate::common::{delete, get, patch, post, put};
use proptest::test_runner::Config;
use proptest_state_machine::prop_state_machine;
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use shelf::{Held, Move, Outcome, Part, Shelf, Subject, Take, Work, sequences};
use tempfile::TempDir;

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

struct Served {
    client: Option<Client>,
    folder: TempDir,
}

fn outcome((status, answer): (Status, Value)) -> Outcome {
    match status.code {
        200..300 => Outcome::Done,
        409 => Outcome::Conflict,
        422 => Outcome::Refused,
        _ => panic!("{status}: {answer}"),
    }
}

fn levels(recipe: &Value) -> Vec<i32> {
    let passes = recipe["passes"].as_array().unwrap();
    passes.iter().map(|pass| pass["action"]["by"].as_f64().unwrap() as i32).collect()
}

fn picked(all: &Value, place: usize) -> Option<&Value> {
    let all = all.as_array().unwrap();
    if all.is_empty() { None } else { Some(&all[place % all.len()]) }
}

impl Served {
    fn over(folder: TempDir) -> Served {
        Served { client: Some(crate::common::client_over(&folder.path().join("vivida.sqlite"))), folder }
    }

    fn client(&self) -> &Client {
        self.client.as_ref().unwrap()
    }

    /// The songs in the order in which they came.
    fn songs(&self) -> Value {
        let (_, songs) = get(self.client(), "/songs");
        let mut songs = songs.as_array().unwrap().clone();
        songs.reverse();
        json!(songs)
    }

    fn part(&self, song: &Value, place: usize) -> Value {
        let part = picked(&song["parts"], place).unwrap();
        get(self.client(), &format!("/parts/{}", part["id"])).1["state"].clone()
    }

    fn done(&self, step: &Move, number: u32) -> Outcome {
        let client = self.client();
        let stale = |of: &Value, stale: bool| of["revision"].as_i64().unwrap() - i64::from(stale);
        let change_part = |part: &Value, late: bool, change: Value| {
            let mut body = json!({"revision": stale(part, late), "label": "change"});
            body.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
            outcome(put(client, &format!("/parts/{}", part["id"]), body))
        };
        let song_of = |place: usize| picked(&self.songs(), place).cloned();
        let whose = |song: &Option<usize>, way: &str| match song {
            None => Some(format!("/shelf/{way}")),
            Some(place) => song_of(*place).map(|song| format!("/songs/{}/{way}", song["id"])),
        };
        match step {
            Move::AddSong => {
                let path = format!("/api/v1/songs?file_name=Song%20{number}.mid");
                let request = client.post(path).header(crate::common::host()).body(KICK);
                return outcome(crate::common::answer(request.dispatch()));
            }
            Move::AddRecipe { level } => {
                let recipe = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": level}}]});
                return outcome(post(
                    client,
                    "/recipes",
                    json!({"name": format!("Recipe {number}"), "recipe": recipe}),
                ));
            }
            Move::RenameRecipe { recipe, .. } | Move::DeleteRecipe { recipe } => {
                let all = get(client, "/recipes").1;
                let Some(one) = picked(&all, *recipe) else { return Outcome::Nothing };
                let path = format!("/recipes/{}", one["id"]);
                return match step {
                    Move::RenameRecipe { stale: late, .. } => {
                        let name = format!("Called {number}");
                        outcome(patch(client, &path, json!({"revision": stale(one, *late), "name": name, "note": ""})))
                    }
                    _ => outcome(delete(client, &format!("{path}?revision={}", one["revision"]))),
                };
            }
            Move::Undo { song } => {
                return whose(song, "undo").map_or(Outcome::Nothing, |path| outcome(post(client, &path, json!({}))));
            }
            Move::Redo { song } => {
                return whose(song, "redo").map_or(Outcome::Nothing, |path| outcome(post(client, &path, json!({}))));
            }
            _ => {}
        }
        let place = step.song().expect("the others are done above");
        let Some(song) = song_of(place) else { return Outcome::Nothing };
        let (id, named) = (&song["id"], |name: String| json!({"revision": 0, "name": name}));
        let with_revision = |mut body: Value, revision: i64| {
            body["revision"] = json!(revision);
            body
        };
        match *step {
            Move::Level { part, by, stale: late, .. } => {
                let pass = json!({"id": 1, "action": {"kind": "level", "by": by}});
                let gesture = json!({"kind": "add-passes", "passes": [pass]});
                change_part(&self.part(&song, part), late, json!({"gestures": [gesture]}))
            }
            Move::Unlevel { part, .. } => {
                let part = self.part(&song, part);
                let last = part["recipe"]["passes"].as_array().unwrap().last().cloned();
                let gestures = last.map(|pass| json!({"kind": "delete-pass", "pass": pass["id"]}));
                change_part(&part, false, json!({"gestures": gestures.into_iter().collect::<Vec<Value>>()}))
            }
            Move::Vary { part, variation, .. } => {
                change_part(&self.part(&song, part), false, json!({"variation": variation}))
            }
            Move::Mute { part, muted, stale: late, .. } => {
                change_part(&self.part(&song, part), late, json!({"muted": muted}))
            }
            Move::GoTo { part, take, .. } => {
                let part = self.part(&song, part);
                let take = picked(&part["takes"], take).unwrap();
                change_part(&part, false, json!({"take": take["id"]}))
            }
            Move::Print { part, .. } => {
                let part = self.part(&song, part);
                let body = with_revision(named(format!("Take {number}")), stale(&part, false));
                outcome(post(client, &format!("/parts/{}/takes", part["id"]), body))
            }
            Move::RenameTake { part, take, .. } | Move::DeleteTake { part, take, .. } => {
                let part = self.part(&song, part);
                let take = picked(&part["takes"], take).unwrap();
                let path = format!("/parts/{}/takes/{}", part["id"], take["id"]);
                match step {
                    Move::RenameTake { .. } => {
                        let body = with_revision(named(format!("Called {number}")), stale(&part, false));
                        outcome(patch(client, &path, body))
                    }
                    _ => outcome(delete(client, &format!("{path}?revision={}", part["revision"]))),
                }
            }
            Move::Second { part, .. } => {
                let part = self.part(&song, part);
                outcome(post(client, &format!("/parts/{}/duplicate", part["id"]), json!({})))
            }
            Move::DeletePart { part, .. } => {
                let part = self.part(&song, part);
                outcome(delete(client, &format!("/parts/{}?revision={}", part["id"], part["revision"])))
            }
            Move::Rename { stale: late, .. } => {
                let body = with_revision(named(format!("Name {number}")), stale(&song, late));
                outcome(patch(client, &format!("/songs/{id}"), body))
            }
            Move::Delete { stale: late, .. } => {
                outcome(delete(client, &format!("/songs/{id}?revision={}", stale(&song, late))))
            }
            Move::Duplicate { .. } => outcome(post(client, &format!("/songs/{id}/duplicate"), json!({}))),
            Move::Sections { to, stale: late, .. } => {
                let sections = json!([{"name": "Verse", "from": 1, "to": to}]);
                let body = json!({"revision": stale(&song, late), "sections": sections});
                outcome(put(client, &format!("/songs/{id}/sections"), body))
            }
            Move::AddPocket { .. } => {
                outcome(post(client, &format!("/songs/{id}/pockets"), json!({"name": format!("Pocket {number}")})))
            }
            Move::ChangePocket { pocket, .. } | Move::DeletePocket { pocket, .. } => {
                let all = get(client, &format!("/songs/{id}/pockets")).1;
                let Some(one) = picked(&all, pocket) else { return Outcome::Nothing };
                let path = format!("/pockets/{}", one["id"]);
                match *step {
                    Move::ChangePocket { lean, stale: late, .. } => {
                        let settings = json!({"lean": {"by": lean}});
                        let body = json!({"revision": stale(one, late), "label": "lean", "name": one["name"], "settings": settings});
                        outcome(put(client, &path, body))
                    }
                    _ => outcome(delete(client, &format!("{path}?revision={}", one["revision"]))),
                }
            }
            _ => unreachable!(),
        }
    }
}

impl Subject for Served {
    fn empty() -> Served {
        Served::over(tempfile::tempdir().unwrap())
    }

    fn take(mut self, step: &Move, _: &Shelf, number: u32) -> (Served, Outcome) {
        if let Move::Restart = step {
            drop(self.client.take());
            return (Served::over(self.folder), Outcome::Done);
        }
        let outcome = self.done(step, number);
        (self, outcome)
    }

    fn told(&self) -> (Vec<(String, Work)>, Vec<(String, i32)>) {
        let client = self.client();
        let song = |song: &Value| {
            let detail = get(client, &format!("/songs/{}", song["id"])).1;
            let parts = detail["parts"].as_array().unwrap().iter().map(|card| {
                let state = get(client, &format!("/parts/{}", card["id"])).1["state"].clone();
                let current = &state["take"];
                // What is not worked on is known by how many passes it has; its own are looked up.
                let take = |take: &Value| {
                    let file = get(client, &format!("/parts/{}/takes/{}/file", card["id"], take["id"])).1;
                    let variation =
                        if take["id"] == *current { state["variation"].as_u64().unwrap() as u32 } else { 0 };
                    Take { name: take["name"].as_str().unwrap().to_owned(), levels: levels(&file), variation }
                };
                let takes = state["takes"].as_array().unwrap();
                Part {
                    name: None,
                    muted: state["muted"].as_bool().unwrap(),
                    takes: takes.iter().map(take).collect(),
                    current: takes.iter().position(|take| take["id"] == *current).unwrap(),
                    second: false,
                }
            });
            let sections = detail["sections"].as_array().unwrap();
            let sections: Vec<(u32, u32)> = sections
                .iter()
                .map(|one| (one["from"].as_u64().unwrap() as u32, one["to"].as_u64().unwrap() as u32))
                .collect();
            let pockets = get(client, &format!("/songs/{}/pockets", song["id"])).1;
            let pockets = pockets.as_array().unwrap().iter().map(|one| {
                let lean = one["settings"]["lean"]["by"].as_f64().unwrap() as i32;
                (one["name"].as_str().unwrap().to_owned(), lean)
            });
            let work = Work {
                sections: if sections.is_empty() { None } else { Some(sections) },
                parts: parts.collect(),
                pockets: pockets.collect(),
            };
            (song["name"].as_str().unwrap().to_owned(), work)
        };
        let songs = self.songs();
        let recipes = get(client, "/recipes").1;
        let recipes = recipes.as_array().unwrap().iter();
        let recipes = recipes.map(|one| (one["name"].as_str().unwrap().to_owned(), levels(&one["recipe"])[0]));
        (songs.as_array().unwrap().iter().map(song).collect(), recipes.collect())
    }

    /// The API names second parts itself, and tells the variation of the take that is worked on alone.
    fn as_told(mut work: Work) -> Work {
        for part in &mut work.parts {
            (part.name, part.second) = (None, false);
            let current = part.current;
            for (place, take) in part.takes.iter_mut().enumerate() {
                take.variation = if place == current { take.variation } else { 0 };
            }
        }
        work
    }
}

prop_state_machine! {
    #![proptest_config(Config { cases: sequences(60), max_shrink_iters: 1000, ..Config::default() })]

    #[test]
    fn the_api_is_what_the_model_says(sequential 1..40 => Held<Served>);
}
