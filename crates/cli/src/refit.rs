//! `vivida refit`: a newer version of a file, held against the former one.

use crate::commands::{Played, Playing, read_song};
use crate::failure::{Done, ends_in};
use crate::output;
use serde_json::json;
use std::fmt::Write as _;
use std::io::Write as _;
use std::path::Path;
use vivida_core::{Performance, Recipe, Ticks};
use vivida_smf::{Export, FileRefit, SongFile};

pub fn refit(old: &Path, new: &Path, playing: &Playing, output: Option<&Path>, as_json: bool) -> Done {
    if let Some(output) = output {
        ends_in(output, &["mid", "midi", "smf"], "a MIDI file")?;
    }
    let (_, former) = read_song(old)?;
    let (bytes, mut newer) = read_song(new)?;
    let found = FileRefit::of(&former, &newer);
    // The recipe is read as one for the former file, and follows its bars.
    let wanted = playing.read()?;
    let recipe = wanted.recipe(former.end, &former.tempo)?;
    let (carried, said) = found.refit.moves.recipe(recipe, &former.metre, &newer.metre);
    let said: Vec<String> = found.said.iter().cloned().chain(said).collect();
    let answer = if as_json {
        as_value(&former, &newer, &found, &said, &carried)
    } else {
        table(&former, &newer, &found, &said)
    };
    if let Some(path) = output {
        let ids = found.ids(&former, &newer, |place| former.parts[place].part.free_id());
        newer.name_hits(&ids);
        let mut played = Played::new(&newer, &wanted)?;
        if !wanted.is_start() {
            let recipes = newer.parts.iter().map(|part| if part.drums { carried.clone() } else { Recipe::default() });
            played.recipes = recipes.collect();
        }
        let sent = |(index, one): (usize, Performance)| (index, one.sent(&played.charts[index]));
        let mut performances: Vec<_> = played.parts(Ticks(0.0), None).into_iter().map(sent).collect();
        performances.retain(|&(index, _)| newer.parts[index].drums);
        let written = vivida_smf::write(&bytes, &newer, &performances, Export::default());
        output::write(path, |out| out.write_all(&written))?;
    }
    output::say(&answer)
}

fn table(former: &SongFile, newer: &SongFile, found: &FileRefit, said: &[String]) -> String {
    let mut text = format!("{:<32}{:>8}{:>8}{:>8}{:>8}\n", "part", "kept", "moved", "came", "gone");
    let mut line = |name: &str, counts: [usize; 4], fate: &str| {
        let [kept, moved, came, gone] = counts;
        let name: String = name.chars().take(30).collect();
        let _ = writeln!(text, "{name:<32}{kept:>8}{moved:>8}{came:>8}{gone:>8}{fate}");
    };
    for (place, part) in former.parts.iter().enumerate() {
        match found.matched.iter().position(|(from, _)| *from == place) {
            Some(number) => {
                let one = &found.refit.parts[number];
                line(&part.name, [one.pairs.len(), one.moved.len(), one.came.len(), one.gone.len()], "");
            }
            None => line(&part.name, [0, 0, 0, part.part.hits().len()], "  not in the newer file"),
        }
    }
    for (place, part) in newer.parts.iter().enumerate() {
        if !found.matched.iter().any(|(_, to)| *to == place) {
            line(&part.name, [0, 0, part.part.hits().len(), 0], "  new");
        }
    }
    for sentence in said {
        let _ = writeln!(text, "{sentence}");
    }
    text
}

fn as_value(former: &SongFile, newer: &SongFile, found: &FileRefit, said: &[String], carried: &Recipe) -> String {
    let part = |(&(from, to), one): (&(usize, usize), &vivida_core::Matching)| {
        let id = |place: usize| former.parts[from].part.hits()[place].id;
        let number = |place: usize| newer.parts[to].part.hits()[place].id;
        json!({
            "part": former.parts[from].name,
            "newer": newer.parts[to].name,
            "kept": one.pairs.iter().map(|&(from, to)| [id(from), number(to)]).collect::<Vec<_>>(),
            "moved": one.moved.iter().map(|&(from, _)| id(from)).collect::<Vec<_>>(),
            "came": one.came.iter().map(|&to| number(to)).collect::<Vec<_>>(),
            "gone": one.gone.iter().map(|&from| id(from)).collect::<Vec<_>>(),
        })
    };
    let parts: Vec<_> = found.matched.iter().zip(&found.refit.parts).map(part).collect();
    let value = json!({"said": said, "parts": parts, "recipe": carried});
    format!("{value:#}\n")
}
