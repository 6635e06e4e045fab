//! A newer version of a file: its parts and their hits, as far as they were there before.

use crate::song::{SongFile, SongPart};
use vivida_core::{BarRange, Candidate, HitId, Refit, Ticks, Versions, match_parts, refit};

/// A file and its newer version.
#[derive(Clone, Debug, PartialEq)]
pub struct FileRefit {
    /// Parts that are in both, by their places in the former and in the newer one.
    pub matched: Vec<(usize, usize)>,
    /// Where the bars went, and the hits of the matched parts.
    pub refit: Refit,
    /// What is otherwise in the song itself, in sentences.
    pub said: Vec<String>,
}

impl FileRefit {
    /// Matches two versions of a song. Parts that were begun here are no part of its file, and left out.
    pub fn of(old: &SongFile, new: &SongFile) -> FileRefit {
        let of_file: Vec<usize> = (0..old.parts.len()).filter(|&place| old.parts[place].begun.is_none()).collect();
        let left: Vec<Candidate<'_>> = of_file.iter().map(|&place| candidate(&old.parts[place])).collect();
        let right: Vec<Candidate<'_>> = new.parts.iter().map(candidate).collect();
        let places = match_parts(&left, &right);
        let matched: Vec<(usize, usize)> =
            of_file.iter().zip(&places).filter_map(|(&from, to)| Some((from, (*to)?))).collect();
        let versions: Vec<Versions<'_>> = matched
            .iter()
            .map(|&(from, to)| Versions { old: &old.parts[from].part, new: &new.parts[to].part })
            .collect();
        let refit = refit(&versions, &old.metre, &new.metre);
        let said = said_of(old, new, &refit);
        FileRefit { matched, refit, said }
    }

    /// The ids of the newer hits, as [`SongFile::name_hits`] takes them: what was there before keeps its own, and with
    /// it its dice. `free` says of a former part's place from where on ids are free.
    pub fn ids(&self, old: &SongFile, new: &SongFile, free: impl Fn(usize) -> u32) -> Vec<Option<Vec<HitId>>> {
        let mut ids: Vec<Option<Vec<HitId>>> = vec![None; new.parts.len()];
        for (&(from, to), matching) in self.matched.iter().zip(&self.refit.parts) {
            let versions = Versions { old: &old.parts[from].part, new: &new.parts[to].part };
            let hits = versions.new.hits();
            // A hit that was just read is named by the number of its note-on.
            let mut by_number = vec![HitId::new(0); hits.len()];
            for (hit, id) in hits.iter().zip(matching.ids(versions, free(from))) {
                by_number[hit.id.get() as usize] = id;
            }
            ids[to] = Some(by_number);
        }
        ids
    }
}

fn candidate(part: &SongPart) -> Candidate<'_> {
    Candidate { name: &part.name, channel: part.channel, drums: part.drums, part: &part.part }
}

/// What is otherwise in the song itself.
fn said_of(old: &SongFile, new: &SongFile, found: &Refit) -> Vec<String> {
    let bars = |from: u32, to: u32| if from == to { format!("Bar {from}") } else { format!("Bars {from} to {to}") };
    let mut said = Vec::new();
    for (first, last, now) in found.moves.shifts().into_iter().take(20) {
        let end = now + (last - first);
        let now = if first == last { format!("bar {now}") } else { format!("bars {now} to {end}") };
        said.push(format!("{} {} {now} now.", bars(first, last), if first == last { "is" } else { "are" }));
    }
    for BarRange { from, to } in found.moves.gone().into_iter().take(20) {
        said.push(format!("{} {} not there any more.", bars(from, to), if from == to { "is" } else { "are" }));
    }
    let tempo = |file: &SongFile| file.tempo.bpm(Ticks(0.0));
    if (tempo(old) - tempo(new)).abs() > 0.01 {
        said.push(format!("It begins at {} bpm instead of {}.", short(tempo(new)), short(tempo(old))));
    } else if old.tempo.changes().count() != new.tempo.changes().count() {
        said.push("Its tempo changes at other places.".to_owned());
    }
    let metres = |file: &SongFile| file.metre.changes().map(|(_, metre)| metre.to_string()).collect::<Vec<_>>();
    if metres(old) != metres(new) {
        said.push(format!("Its metre is {} instead of {}.", metres(new).join(", "), metres(old).join(", ")));
    }
    let ppq = |file: &SongFile| file.ppq.get() / file.factor;
    if ppq(old) != ppq(new) {
        said.push(format!("It has {} ticks a quarter note instead of {}.", ppq(new), ppq(old)));
    }
    said.extend(new.mended.iter().cloned());
    said
}

fn short(bpm: f64) -> String {
    format!("{}", (bpm * 10.0).round() / 10.0)
}
