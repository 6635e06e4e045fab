//! Recording into parts.

use crate::api::*;
use crate::app::{Answer, App, Opened, recipe};
use crate::problem::Problem;
use crate::writing::{check_size, free_id};
use vivida_core::{Latency, Laying, LayingHow, Live, Part, Recipe, Recording, Round, RoundFigures};
use vivida_store::{PartId, Reads, RecordingId, StoredRecording};

/// So many messages come with one piece.
const MOST_IN_A_PIECE: usize = 20_000;

fn checked(field: &str, recording: &Recording) -> Answer<()> {
    recording.check().map_err(|(wrong, why)| Problem::field(format!("{field}.{wrong}"), why))
}

fn refuse_loop(is_loop: bool) -> Answer<()> {
    let why = "this part is a recorded loop; record into another part of the song";
    if is_loop { Err(Problem::field("part", why)) } else { Ok(()) }
}

fn rounds(opened: &Opened, raw: &Recording) -> Vec<Round> {
    raw.rounds(&opened.song.file.tempo, &opened.chart().kit, opened.file_part().channel)
}

impl App {
    /// A recording begins in a part.
    pub(crate) fn begin_recording(&self, part: PartId, request: &BeginRecording) -> Answer<RecordingCard> {
        if !(1..=64).contains(&request.client.chars().count()) {
            return Err(Problem::field("client", "the window that records has a name of 1 to 64 letters"));
        }
        let (id, _) = self.changed(|change| {
            refuse_loop(change.part(part)?.audio.is_some())?;
            Ok::<_, Problem>(change.begin_recording(part, &request.client)?)
        })?;
        self.recording_card(id)
    }

    /// A piece of a recording comes.
    pub(crate) fn add_piece(&self, id: RecordingId, request: &RecordingPiece) -> Answer<()> {
        checked("piece", &request.piece)?;
        if request.piece.messages.len() > MOST_IN_A_PIECE {
            let why = format!("{MOST_IN_A_PIECE} messages are the most of a piece; send it in several");
            return Err(Problem::field("piece.messages", why));
        }
        Ok(self.change(|change| change.add_piece(id, request.number, &request.piece, request.last))?)
    }

    fn recording_card(&self, id: RecordingId) -> Answer<RecordingCard> {
        let (stored, opened) = self.of_recording(id)?;
        self.card_of_recording(&stored, &opened)
    }

    fn of_recording(&self, id: RecordingId) -> Answer<(StoredRecording, Opened)> {
        let reading = self.reading()?;
        let stored = reading.recording(id)?;
        let opened = self.open_in(&reading, stored.part, None)?;
        Ok((stored, opened))
    }

    fn card_of_recording(&self, stored: &StoredRecording, opened: &Opened) -> Answer<RecordingCard> {
        let (raw, damage) = self.reading()?.recorded(stored.id)?;
        let grid = opened.chart().meant(opened.part(), &opened.song.file.metre, &opened.song.file.tempo).grid;
        let context = opened.context(1);
        let kit = &opened.chart().kit;
        let figures: Vec<RoundFigures> =
            rounds(opened, &raw).iter().map(|round| round.figures(kit, grid, &context)).collect();
        Ok(RecordingCard {
            id: stored.id,
            when: stored.when.clone(),
            open: stored.open,
            kept: stored.kept,
            steadiest: RoundFigures::steadiest(&figures),
            rounds: figures,
            damage: damage.map(|damage| damage.reason),
        })
    }

    /// What was recorded in a part, the newest first.
    pub(crate) fn recordings(&self, part: PartId) -> Answer<Vec<RecordingCard>> {
        let reading = self.reading()?;
        let (all, opened) = (reading.recordings(part)?, self.open_in(&reading, part, None)?);
        all.iter().map(|stored| self.card_of_recording(stored, &opened)).collect()
    }

    /// What was struck in a recording.
    pub(crate) fn recorded_rounds(&self, id: RecordingId) -> Answer<RecordedRounds> {
        let (stored, opened) = self.of_recording(id)?;
        let (raw, _) = self.reading()?.recorded(stored.id)?;
        let columns = |round: Round| {
            let mut columns = RoundColumns { round: round.number, ..RoundColumns::default() };
            for hit in round.hits {
                columns.ticks.push(hit.tick.0);
                columns.velocities.push(hit.velocity.get());
                columns.notes.push(hit.note.get());
                let place = opened.chart().instrument_of(hit.note, hit.channel);
                columns.instruments.push(place.map(|place| place as u16));
            }
            columns
        };
        Ok(RecordedRounds { rounds: rounds(&opened, &raw).into_iter().map(columns).collect() })
    }

    /// Lays a recording into its part: into its Written where it was begun here, else as a take of its own.
    pub(crate) fn keep_recording(&self, id: RecordingId, request: &KeepRecording) -> Answer<PartDetail> {
        let part = self.reading()?.recording(id)?.part;
        let revision = request.revision;
        self.changing(part, |reading| {
            reading.expected_part(part, revision)?;
            let opened = self.open_in(reading, part, None)?;
            refuse_loop(opened.row.audio.is_some())?;
            let (raw, _) = reading.recorded(id)?;
            // Nothing is written behind the end of the song.
            let end = opened.song.end();
            let to = request.laying.to.map_or(end, |to| if to < end { to } else { end });
            let laying = Laying { to: Some(to), ..request.laying.clone() };
            let free = free_id(opened.part(), &[&opened.take.recipe]);
            let rounds = rounds(&opened, &raw);
            let laid = laying.lay(opened.part(), opened.chart(), &rounds, free);
            laid.iter().try_for_each(|(_, part)| check_size(part))?;
            // With the passes that draw what was sent besides.
            let passes = |round: u32| -> Answer<Recipe> {
                let metre = &opened.song.file.metre;
                let recipe = laying.drawn(&opened.take.recipe, round, &rounds, opened.chart(), metre);
                if recipe.passes.len() > Recipe::MOST_PASSES {
                    let why =
                        "its pedals and wheels become passes, and the take has no room for more; print the take first";
                    return Err(Problem::field("laying", why));
                }
                Ok(recipe)
            };
            let Some((number, last)) = laid.last() else {
                let why = "nothing of it was struck on these instruments, in these rounds and bars; choose others";
                return Err(Problem::field("laying", why));
            };
            if opened.is_drawn() && laying.how != LayingHow::Takes {
                let label = if laying.how == LayingHow::Over { "record" } else { "record instead" };
                let (hits, passes) = (last.clone(), passes(*number)?);
                return Ok(Box::new(move |change| {
                    change.write(part, revision, label, &hits, Some(passes))?;
                    Ok(change.recording_kept(id)?)
                }));
            }
            let recipes = laid.iter().map(|(round, _)| passes(*round)).collect::<Answer<Vec<Recipe>>>()?;
            let named = named(&opened, laying.how, laid);
            let label = match named.len() {
                1 => format!("record “{}”", named[0].0),
                many => format!("record {many} takes"),
            };
            let takes = named.into_iter().zip(recipes).map(|((name, hits), recipe)| (name, hits, recipe));
            let takes: Vec<_> = takes.collect();
            Ok(Box::new(move |change| {
                change.add_takes(part, revision, &label, takes)?;
                Ok(change.recording_kept(id)?)
            }))
        })?;
        self.part_detail(part)
    }

    /// A recording goes.
    pub(crate) fn delete_recording(&self, id: RecordingId) -> Answer<()> {
        Ok(self.change(|change| change.delete_recording(id))?)
    }

    /// How late a device's messages come, by strokes along with a click.
    pub(crate) fn latency(&self, request: &LatencyRequest) -> Answer<Latency> {
        checked("recording", &request.recording)?;
        if request.clicks.len() > 10_000 || request.clicks.iter().any(|click| !click.is_finite()) {
            return Err(Problem::field("clicks", "at most 10 000 times in s"));
        }
        let is_stroke = |data: &[u8]| data.len() == 3 && data[0] & 0xf0 == 0x90 && data[2] > 0;
        let times = request.recording.times();
        let strokes = request.recording.messages.iter().zip(times).filter(|(message, _)| is_stroke(&message.data));
        let strokes: Vec<f64> = strokes.filter_map(|(_, time)| time).collect();
        Latency::of(&strokes, &request.clicks).ok_or_else(|| {
            let why = format!(
                "{} strokes came near a click, or they lie too far apart; tap along for eight bars, one stroke a beat",
                strokes.len()
            );
            Problem::field("recording.messages", why)
        })
    }

    /// What single strokes become by a part's passes at once.
    pub(crate) fn live(&self, part: PartId, request: LiveRequest) -> Answer<Live> {
        let wanted = request.recipe.map(|value| recipe("recipe", value)).transpose()?;
        let opened = self.open(part, None)?;
        let passes = wanted.as_ref().unwrap_or(&opened.take.recipe);
        let context = opened.context(opened.take.variation);
        Ok(Live::of(&opened.chart().kit, passes, opened.file_part().channel, &context))
    }
}

/// A name for each new take: that no take of the part has.
fn named(opened: &Opened, how: LayingHow, laid: Vec<(u32, Part)>) -> Vec<(String, Part)> {
    let taken = |name: &str| opened.row.takes.iter().any(|take| take.name == name);
    let free = |name: String| {
        let further = (2..).map(|count| format!("{name}, {count}"));
        std::iter::once(name.clone()).chain(further).find(|name| !taken(name)).unwrap_or(name.clone())
    };
    let name = |round: u32| match how {
        LayingHow::Takes => format!("Round {}", round + 1),
        LayingHow::Over | LayingHow::Replace => "Recorded".to_owned(),
    };
    laid.into_iter().map(|(round, part)| (free(name(round)), part)).collect()
}
