//! What the subcommands do. Errors are one line for people.

use crate::failure::{Done, Failure, ends_in, in_words, named};
use crate::output;
use crate::own_sounds::OwnSounds;
use clap::Args;
use rocket::error::ErrorKind;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vivida_core::{
    Aim, BarRange, Chart, Context, Kit, KitFile, LaneKind, MovementOut, Part, Performance, Recipe, RecipeFile,
    StartingPoint, TempoMap, Ticks, perform, starting_points,
};
use vivida_server::{App, Bundle, Problem, Sounds};
use vivida_smf::{Arrangement, Export, Resolution, SongFile, SongPart};
use vivida_sound::{KitSounds, Mixdown, Strip};
use vivida_store::{Reads, Store};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// Reads a file; `-` is standard input.
pub fn read_bytes(path: &Path) -> Result<Vec<u8>, String> {
    if !output::is_standard(path) {
        return fs::read(path).map_err(|error| named(path, in_words(&error)));
    }
    let mut bytes = Vec::new();
    io::stdin().lock().read_to_end(&mut bytes).map_err(|error| named(path, in_words(&error)))?;
    Ok(bytes)
}

/// Reads a file of text; `-` is standard input.
pub fn read_text(path: &Path) -> Result<String, String> {
    String::from_utf8(read_bytes(path)?).map_err(|_| named(path, "this is not UTF-8 text"))
}

/// Reads a song.
pub fn read_song(path: &Path) -> Result<(Vec<u8>, SongFile), String> {
    let bytes = read_bytes(path)?;
    let song = vivida_smf::read(&bytes).map_err(|error| named(path, error))?;
    for mended in &song.mended {
        output::note(path, mended);
    }
    Ok((bytes, song))
}

/// How the drum parts are played. Without any of it they stay as they are.
#[derive(Args)]
pub struct Playing {
    /// A recipe as JSON for the drum parts.
    #[arg(long, value_name = "FILE", conflicts_with = "start")]
    recipe: Option<PathBuf>,
    /// A starting point by its name, made for each drum part: "Barely there", "One good take" …
    #[arg(long, value_name = "NAME", value_parser = starting_point)]
    start: Option<&'static str>,
    /// The number that all dice hang on.
    #[arg(long, value_name = "N", default_value_t = 1)]
    variation: u32,
    #[command(flatten)]
    reading: Reading,
    /// The kit of a sampler as JSON, to which the strokes of the drum parts are sent.
    #[arg(long, value_name = "FILE")]
    sampler: Option<PathBuf>,
}

/// What notes mean.
#[derive(Args)]
pub struct Reading {
    /// A kit as JSON: what the notes of the drum parts are, and what is sent for them. Else General MIDI.
    #[arg(long, value_name = "FILE")]
    kit: Option<PathBuf>,
}

impl Reading {
    pub fn kit(&self) -> Result<Option<Kit>, Failure> {
        self.kit.as_deref().map(read_kit).transpose()
    }
}

fn read_kit(path: &Path) -> Result<Kit, Failure> {
    Ok(KitFile::parse(&read_text(path)?).map_err(|error| named(path, error))?.kit)
}

fn starting_point(wanted: &str) -> Result<&'static str, String> {
    let found = StartingPoint::NAMES.into_iter().find(|name| name.eq_ignore_ascii_case(wanted));
    found.ok_or_else(|| format!("there is none of this name; there are {}", StartingPoint::NAMES.join(", ")))
}

impl Playing {
    /// Refuses what says nothing of a recorded loop.
    pub fn is_for_loops(&self) -> Done {
        match (&self.reading.kit, &self.sampler) {
            (Some(_), _) => Err(Failure::usage("--kit", NOT_OF_LOOPS)),
            (_, Some(_)) => Err(Failure::usage("--sampler", NOT_OF_LOOPS)),
            _ => Ok(()),
        }
    }

    /// With its files read.
    pub fn read(&self) -> Result<Wanted, Failure> {
        let recipe = match &self.recipe {
            None => Recipe::default(),
            Some(path) => {
                let recipe = RecipeFile::parse(&read_text(path)?).map_err(|error| named(path, error))?.plain();
                recipe.check().map_err(|error| named(path, error))?;
                recipe
            }
        };
        Ok(Wanted {
            recipe,
            path: self.recipe.clone().unwrap_or_else(|| PathBuf::from("recipe")),
            start: self.start,
            variation: self.variation,
            own: self.reading.kit()?,
            sampler: self.sampler.as_deref().map(read_kit).transpose()?,
        })
    }
}

/// What is said of options that say nothing of a recorded loop.
pub const NOT_OF_LOOPS: &str = "this is for MIDI files; what is read is a recorded loop";

/// How drum parts are to be played, and what their notes are.
pub struct Wanted {
    recipe: Recipe,
    path: PathBuf,
    start: Option<&'static str>,
    pub variation: u32,
    own: Option<Kit>,
    sampler: Option<Kit>,
}

impl Wanted {
    /// The recipe, for a song of this length.
    pub fn recipe(&self, end: Ticks, tempo: &TempoMap) -> Result<&Recipe, Failure> {
        self.recipe.check_within(end, tempo).map_err(|error| named(&self.path, error))?;
        Ok(&self.recipe)
    }

    /// Whether a starting point was named: no recipe then.
    pub fn is_start(&self) -> bool {
        self.start.is_some()
    }

    /// The starting point that was named, for a part.
    pub fn start(&self, part: &Part, chart: &Chart, context: &Context<'_>) -> Option<Recipe> {
        let wanted = self.start?;
        starting_points(part, chart, context).into_iter().find(|one| one.name == wanted).map(|one| one.recipe)
    }

    /// Of each part the recipe that it is played by; no other parts than drums are given any.
    fn recipes(&self, song: &SongFile, charts: &[Chart]) -> Result<Vec<Recipe>, Failure> {
        let parts = song.parts.iter().zip(charts);
        let recipe = self.recipe(song.end, &song.tempo)?;
        if self.start.is_none() {
            for said in aims_at_nothing(recipe, song, charts, self.variation) {
                output::complain(&said);
            }
        }
        let sections = song.sections();
        let context = Context { sections: &sections, ..Context::new(&song.tempo, &song.metre) };
        let of_part = |(part, chart): (&SongPart, &Chart)| match part.drums {
            true => self.start(&part.part, chart, &context).unwrap_or_else(|| recipe.clone()),
            false => Recipe::default(),
        };
        Ok(parts.map(of_part).collect())
    }

    /// A part as its kit reads it; what of its drums a sampler lacks, and what else must be known, is told to `say`.
    pub fn chart(&self, part: &SongPart, say: impl Fn(String)) -> Chart {
        let kit = match (&self.sampler, &self.own) {
            _ if !part.drums => part.kit(false),
            (Some(sampler), own) => {
                let (kit, said) = own.clone().unwrap_or_else(Kit::general_midi).sent_to(sampler, &part.part);
                said.into_iter().for_each(say);
                kit.with_unknown(&part.part)
            }
            (None, Some(own)) => own.clone().with_unknown(&part.part),
            (None, None) => part.kit(true),
        };
        Chart::new(&part.part, kit)
    }
}

/// Passes of which a name is not that of anything in the song, each with what there is.
fn aims_at_nothing(recipe: &Recipe, song: &SongFile, charts: &[Chart], variation: u32) -> Vec<String> {
    let mut ids: BTreeSet<&str> = BTreeSet::new();
    for (part, chart) in song.parts.iter().zip(charts).filter(|(part, _)| part.drums) {
        // What is struck in the end as well: a pass may have put it there.
        let context = Context { variation, lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
        let played = perform(&part.part, chart, recipe, &context);
        let written = part.part.hits().iter().map(|hit| (hit.note, hit.channel));
        let notes = written.chain(played.hits().map(|hit| (hit.note, hit.channel)));
        let struck: BTreeSet<usize> = notes.filter_map(|(note, channel)| chart.instrument_of(note, channel)).collect();
        ids.extend(struck.into_iter().map(|place| chart.kit.instruments[place].id.as_str()));
    }
    let sections: BTreeSet<String> = song.sections().into_iter().map(|section| section.name).collect();
    let listed = |names: Vec<&str>| if names.is_empty() { "none".to_owned() } else { names.join(", ") };
    let mut said = Vec::new();
    for pass in recipe.playing() {
        let title = format!("pass {}, {}", pass.id.0, pass.action.info().title);
        let Aim { instruments, sections: named, bars, .. } = &pass.aim;
        if !instruments.is_empty() && !instruments.iter().any(|one| ids.contains(one.as_str())) {
            let wanted = instruments.iter().map(|one| one.as_str()).collect();
            let there_are = listed(ids.iter().copied().collect());
            said.push(format!("{title}, touches nothing: the song has no {}; it has {there_are}", listed(wanted)));
        }
        if !named.is_empty() && bars.is_empty() && !named.iter().any(|one| sections.contains(one)) {
            let wanted = named.iter().map(String::as_str).collect();
            let there_are = listed(sections.iter().map(String::as_str).collect());
            said.push(format!(
                "{title}, touches nothing: the song has no section {}; it has {there_are}",
                listed(wanted)
            ));
        }
    }
    said
}

/// A song with the kits of its parts and the recipes that they are played by.
pub struct Played<'a> {
    song: &'a SongFile,
    pub charts: Vec<Chart>,
    pub recipes: Vec<Recipe>,
    pub variation: u32,
}

impl<'a> Played<'a> {
    pub fn new(song: &'a SongFile, wanted: &Wanted) -> Result<Played<'a>, Failure> {
        let chart = |part: &SongPart| wanted.chart(part, |said| output::complain(&format!("{}: {said}", part.name)));
        let charts: Vec<Chart> = song.parts.iter().map(chart).collect();
        let recipes = wanted.recipes(song, &charts)?;
        Ok(Played { song, charts, recipes, variation: wanted.variation })
    }

    /// Whether anything is otherwise than it is written.
    fn is_other(&self) -> bool {
        self.recipes.iter().any(|recipe| recipe.playing().next().is_some())
            || self.charts.iter().any(|chart| chart.kit.sends_otherwise())
    }

    /// Every part as it is played: drum parts by the recipe, the others as they are; of the song or of a range.
    pub fn parts(&self, start: Ticks, range: Option<(Ticks, Ticks)>) -> Vec<(usize, Performance)> {
        let sections = self.song.sections();
        let context = Context {
            variation: self.variation,
            start,
            sections: &sections,
            ..Context::new(&self.song.tempo, &self.song.metre)
        };
        let parts = self.song.parts.iter().zip(&self.charts).enumerate();
        let play = |(index, (part, chart)): (usize, (&SongPart, &Chart))| {
            let context = Context { lanes: part.lanes(), ..context };
            let played = perform(&part.part, chart, &self.recipes[index], &context);
            (
                index,
                match range {
                    Some((from, to)) => played.between(&part.part, from, to),
                    None => played,
                },
            )
        };
        parts.map(play).collect()
    }
}

/// What of a song is wanted.
#[derive(Args)]
pub struct Excerpt {
    /// Only this part, counted from 1 as `inspect` lists them.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    pub part: Option<u32>,
    /// Only these bars: 5-8. Of a recorded loop: how many bars it lasts.
    #[arg(long, value_name = "BARS")]
    pub bars: Option<BarRange>,
}

impl Excerpt {
    /// The place of the part that is wanted.
    fn only(&self, path: &Path, song: &SongFile) -> Result<Option<usize>, String> {
        let Some(number) = self.part else { return Ok(None) };
        let place = number as usize - 1;
        match song.parts.get(place) {
            Some(_) => Ok(Some(place)),
            None => Err(named(path, format!("there is no part {number}; the file has {}", song.parts.len()))),
        }
    }

    /// Where the bars that are wanted begin and end.
    fn range(&self, path: &Path, song: &SongFile) -> Result<Option<(Ticks, Ticks)>, String> {
        self.bars.map(|bars| song.stretch(bars).map_err(|why| named(path, why))).transpose()
    }
}

/// How the file is laid out.
#[derive(Args)]
pub struct Layout {
    /// A track for each instrument of the drum parts.
    #[arg(long, conflicts_with = "one_track")]
    pub split: bool,
    /// Everything in one track (format 0).
    #[arg(long)]
    pub one_track: bool,
    /// Write in the fine resolution, at least 960 ticks in a quarter note, instead of the file's own.
    #[arg(long)]
    pub fine: bool,
    /// Put an empty bar in front, so that early first hits survive.
    #[arg(long)]
    pub lead_in: bool,
    /// Which channels hits are sent on that move in pitch, place, level or brightness; their own without it.
    #[arg(long, value_enum, value_name = "HOW")]
    pub movement: Option<Movement>,
}

impl Layout {
    /// The first of its options that was given.
    pub fn given(&self) -> Option<&'static str> {
        let all = [
            ("--split", self.split),
            ("--one-track", self.one_track),
            ("--fine", self.fine),
            ("--lead-in", self.lead_in),
            ("--movement", self.movement.is_some()),
        ];
        all.into_iter().find(|(_, is_given)| *is_given).map(|(option, _)| option)
    }
}

/// Which channels hits are sent on that move in pitch, place, level or brightness.
#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub enum Movement {
    /// Their own. What moves while another hit sounds there goes out without that, which is said.
    Own,
    /// One for each instrument that moves.
    Channels,
    /// One for each hit in turn, as MPE has it.
    Mpe,
}

impl From<Movement> for MovementOut {
    fn from(movement: Movement) -> MovementOut {
        match movement {
            Movement::Own => MovementOut::OwnChannel,
            Movement::Channels => MovementOut::ChannelForEach,
            Movement::Mpe => MovementOut::Mpe,
        }
    }
}

pub fn apply(input: &Path, playing: &Playing, output: &Path, excerpt: &Excerpt, layout: &Layout) -> Done {
    ends_in(output, &["mid", "midi", "smf"], "a MIDI file")?;
    let (bytes, song) = read_song(input)?;
    let wanted = playing.read()?;
    let played = Played::new(&song, &wanted)?;
    let resolution = if layout.fine { Resolution::Fine } else { Resolution::Own };
    let export = Export { resolution, lead_in: layout.lead_in, ..Export::default() };
    let (only, range) = (excerpt.only(input, &song)?, excerpt.range(input, &song)?);
    let (mut performances, mut apart) = (Vec::new(), Vec::new());
    if played.is_other() || range.is_some() {
        let mut free = vivida_smf::free_channels(&song, &[]);
        for chart in &played.charts {
            let ways = chart.kit.instruments.iter().flat_map(|one| &one.articulations);
            let used: Vec<_> = ways.filter_map(|way| way.channel_out.or(way.channel)).collect();
            free.retain(|channel| !used.contains(channel));
        }
        for (index, one) in played.parts(export.start(&song), range) {
            let (sent, own) =
                one.sent_apart(&played.charts[index], layout.movement.unwrap_or(Movement::Own).into(), &mut free);
            performances.push((index, sent));
            apart.push(own);
        }
    }
    let export = Export { zone: apart.iter().map(|one| one.members).max().unwrap_or(0), ..export };
    let said = vivida_smf::movement_said(&vivida_smf::moved_out(&song, &performances), &apart);
    if range.is_none() {
        // What no recipe treats comes out as it went in.
        performances.retain(|&(index, _)| song.parts[index].drums);
    }
    let own_kit = wanted.own.is_some() || wanted.sampler.is_some();
    let drums = song.parts.iter().enumerate().filter(|(_, part)| own_kit && part.drums);
    let arrangement = Arrangement {
        only,
        bars: excerpt.bars.map(|bars| (bars.from, bars.to)),
        split: layout.split,
        one_track: layout.one_track,
        kits: drums.map(|(index, _)| (index, played.charts[index].kit.outgoing())).collect(),
        apart: vivida_smf::taken(&song, &performances),
    };
    let written = vivida_smf::write(&bytes, &song, &performances, export);
    let arranged = vivida_smf::arrange(&written, &song, export, &arrangement);
    if let Some(said) = said {
        output::complain(&said);
    }
    output::write(output, |out| out.write_all(&arranged))
}

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;

/// How a song is rendered.
#[derive(Args)]
pub struct Rendering {
    /// A file for each instrument, zipped.
    #[arg(long)]
    stems: bool,
    /// Own sounds instead of the built-in kit: an SFZ file, a folder that holds one, or a folder of files named after the
    /// strokes.
    #[arg(long, value_name = "PATH")]
    sounds: Option<PathBuf>,
}

pub fn render(
    input: &Path,
    playing: &Playing,
    output: &Path,
    excerpt: &Excerpt,
    Rendering { stems, sounds }: Rendering,
) -> Done {
    match stems {
        true => ends_in(output, &["zip"], "a zip file of stems")?,
        false => ends_in(output, &["wav"], "a WAV file")?,
    }
    let (_, song) = read_song(input)?;
    let played = Played::new(&song, &playing.read()?)?;
    let own = sounds.map(|path| OwnSounds::of(&path)).transpose()?;
    let (only, range) = (excerpt.only(input, &song)?, excerpt.range(input, &song)?);
    let from = range.map_or(Ticks(0.0), |(from, _)| from);
    let mut all = Vec::new();
    let mut strips = BTreeMap::new();
    for (index, performance) in played.parts(Ticks(0.0), range) {
        if only.is_some_and(|only| only != index) {
            continue;
        }
        let (part, chart) = (&song.parts[index], &played.charts[index]);
        let full_bend = part.bend_range().unwrap_or(LaneKind::USUAL_BEND);
        let strip = Strip::of(&performance.lanes, full_bend, &song.tempo, from);
        strips.extend(strip.map(|strip| (index as u32, strip)));
        let performance = performance.by_pedal(&chart.kit);
        let sounds = match &own {
            _ if !part.drums => KitSounds::of_tones(),
            Some(own) => KitSounds::of_drums(&own.fit(chart.listed_kit())?),
            None => KitSounds::of_drums(&chart.listed_kit().without_samples()),
        };
        all.extend(sounds.strikes(performance.sounding(), index as u32, &song.tempo, from));
    }
    let mix = Mixdown::new(all).with_strips(strips);
    let mix = Arc::new(match own {
        Some(own) => mix.with_recordings(Arc::new(own)),
        None => mix,
    });
    if mix.seconds() > LONGEST_WAV {
        let minutes = mix.seconds() / 60.0;
        let said = format!("what is played lasts {minutes:.0} minutes; a WAV file is made of an hour at most");
        return Err(named(input, said).into());
    }
    let mut progress = output::Progress::new("rendering")?;
    if !stems {
        return output::write(output, |out| mix.write(out, |share| progress.go_on(share)));
    }
    let of_drums = mix.stems();
    let count = of_drums.len().max(1) as f64;
    output::write(output, |out| {
        let mut zip = ZipWriter::new_stream(out);
        for (place, (index, drum)) in of_drums.into_iter().enumerate() {
            let (part, chart) = (&song.parts[index as usize], &played.charts[index as usize]);
            let drum_name = drum.and_then(|drum| chart.kit.instruments.get(usize::from(drum))).map(|drum| &drum.name);
            let name = drum_name.map_or(part.name.clone(), |drum| format!("{}, {drum}", part.name));
            let name: String =
                name.chars().map(|one| if matches!(one, '/' | '\\' | ':') { '_' } else { one }).collect();
            zip.start_file(format!("{}, {name}.wav", place + 1), SimpleFileOptions::default())?;
            mix.stem(index, drum).write(&mut zip, |share| progress.go_on((place as f64 + share) / count))?;
        }
        zip.finish()?;
        Ok(())
    })
}

/// The name of the database in its folder.
const DATABASE: &str = "vivida.sqlite";

/// The folder that was named, or the user's data directory.
fn data_folder(data: Option<PathBuf>) -> Result<PathBuf, String> {
    match data {
        Some(folder) => Ok(folder),
        None => directories::ProjectDirs::from("", "", "vivida")
            .map(|found| found.data_dir().to_owned())
            .ok_or_else(|| "there is no home directory for the data; choose a folder with --data".to_owned()),
    }
}

/// The shelf of a folder, begun where there is none.
fn shelf(data: Option<PathBuf>) -> Result<Store, String> {
    let folder = data_folder(data)?;
    fs::create_dir_all(&folder).map_err(|error| named(&folder, in_words(&error)))?;
    Store::open(&folder.join(DATABASE)).map_err(|error| error.to_string())
}

/// The shelf of a folder that has one: a name that was mistyped is no empty shelf.
fn shelf_there(data: Option<PathBuf>) -> Result<Store, String> {
    let folder = data_folder(data)?;
    if !folder.join(DATABASE).exists() {
        return Err(named(&folder, "there is no shelf in this folder; name the one that Vivida is started with"));
    }
    Store::open(&folder.join(DATABASE)).map_err(|error| error.to_string())
}

pub fn pack(data: Option<PathBuf>, song: Option<&str>, own_sounds: bool, output: &Path) -> Done {
    ends_in(output, &["vivida", "zip"], "a bundle")?;
    let store = shelf_there(data)?;
    let mut songs = store.songs().map_err(|error| error.to_string())?;
    if let Some(name) = song {
        songs.retain(|one| one.name == name);
        if songs.is_empty() {
            return Err(format!("--song: there is no “{name}” on this shelf").into());
        }
    }
    let ids: Vec<_> = songs.iter().map(|song| song.id).collect();
    let packing = vivida_server::Packing { library: song.is_none(), own_sounds };
    let sounds = Sounds::beside(store.folder());
    let mut packed = vivida_server::pack(&store, &sounds, &ids, packing).map_err(|problem| problem.detail)?;
    output::write(output, |out| io::copy(&mut packed, out).map(|_| ()))?;
    output::say(&format!("{} packed\n", counted(ids.len())))
}

pub fn unpack(input: &Path, data: Option<PathBuf>) -> Done {
    let file = output::opened(input)?;
    // A shelf may begin with what is unpacked, but not in a folder that a slip of the hand names.
    if let Some(folder) = data.as_deref().filter(|folder| !folder.is_dir()) {
        return Err(named(
            folder,
            "there is no such folder; make it first, or name the one that Vivida is started with",
        )
        .into());
    }
    let mut store = shelf(data)?;
    let sounds = Arc::new(Sounds::beside(store.folder()));
    let wrong = |problem: Problem| named(input, problem.detail);
    let bundle = Bundle::read(file, &sounds).map_err(wrong)?;
    let unpacked = store.change(|change| bundle.put(change)).map_err(wrong)?;
    bundle.stays();
    unpacked.said.iter().for_each(|said| output::note(input, said));
    output::say(&format!("{} unpacked\n", counted(unpacked.songs.len())))
}

fn counted(songs: usize) -> String {
    if songs == 1 { "1 song".to_owned() } else { format!("{songs} songs") }
}

pub fn serve(data: Option<PathBuf>, port: u16, demo: bool) -> Done {
    let store = shelf(data)?;
    let app = App::new(store);
    if demo {
        app.add_demo()?;
    }
    let app = Arc::new(app);
    app.keep_house();
    let launched = rocket::execute(async move {
        let liftoff = rocket::fairing::AdHoc::on_liftoff("say where", |rocket| {
            Box::pin(async move {
                let address = format!("http://127.0.0.1:{}/", rocket.config().port);
                if let Some(app) = rocket.state::<Arc<App>>() {
                    app.say_address(&address);
                }
                // Where nobody can be told, the page is there all the same.
                let _ = output::say(&format!("Vivida is at {address} (stop with Ctrl+C)\n"));
            })
        });
        vivida_server::rocket(app, port).attach(liftoff).launch().await
    });
    match launched {
        Ok(_) => Ok(()),
        Err(error) => {
            let (is_over, reason) = (matches!(error.kind(), ErrorKind::Shutdown(..)), error.kind().to_string());
            // Rocket insists that its errors are looked at before they are dropped.
            drop(error);
            if is_over {
                // Whoever still waited for an answer has none. What was being written is whole, or not there at all.
                return Ok(());
            }
            Err(format!("the server could not start on port {port} ({reason}); choose another with --port").into())
        }
    }
}
