//! What the subcommands do. Errors are one line for people.

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
    Aim, BarRange, Chart, Context, Kit, KitFile, LaneKind, MovementOut, Performance, PlayedHit, Recipe, RecipeFile,
    Ticks, perform, starting_points,
};
use vivida_server::{App, Bundle, Problem, Sounds};
use vivida_smf::{Arrangement, Export, Resolution, SongFile, SongPart};
use vivida_sound::{KitSounds, Mixdown, Strike, Strip};
use vivida_store::{Reads, Store};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

pub type Done = Result<(), String>;

pub fn named(path: &Path, error: impl std::fmt::Display) -> String {
    if output::is_standard(path) {
        return format!("standard input: {error}");
    }
    format!("{}: {error}", path.display())
}

/// Reads a file; `-` is standard input.
pub fn read_bytes(path: &Path) -> Result<Vec<u8>, String> {
    if !output::is_standard(path) {
        return fs::read(path).map_err(|error| named(path, error));
    }
    let mut bytes = Vec::new();
    io::stdin().lock().read_to_end(&mut bytes).map_err(|error| named(path, error))?;
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
    #[arg(long, value_name = "NAME")]
    start: Option<String>,
    /// The number that all dice hang on.
    #[arg(long, default_value_t = 1)]
    pub variation: u32,
    /// A kit as JSON: what the notes of the drum parts are, and what is sent for them. Else General MIDI.
    #[arg(long, value_name = "FILE")]
    kit: Option<PathBuf>,
    /// The kit of a sampler as JSON, to which the strokes of the drum parts are sent.
    #[arg(long, value_name = "FILE")]
    sampler: Option<PathBuf>,
}

impl Playing {
    /// The recipe, for whichever song.
    pub fn plain_recipe(&self) -> Result<Recipe, String> {
        if self.start.is_some() {
            let said = "a starting point is made for a part; it can be given to `apply`, `render` and `findings`";
            return Err(format!("--start: {said}"));
        }
        let Some(path) = &self.recipe else { return Ok(Recipe::default()) };
        let text = read_text(path)?;
        let recipe = RecipeFile::parse(&text).map_err(|error| named(path, error))?.plain();
        recipe.check().map_err(|error| named(path, error))?;
        Ok(recipe)
    }

    /// The kit of drums, where one was given; sent to the sampler's, where that was given.
    pub fn kit_of_drums(&self) -> Result<Option<Kit>, String> {
        let read = |path: &PathBuf| -> Result<Kit, String> {
            let text = read_text(path)?;
            Ok(KitFile::parse(&text).map_err(|error| named(path, error))?.kit)
        };
        if self.sampler.is_some() {
            return Err("--sampler: a sampler's kit is taken song by song; use `apply` for that".to_owned());
        }
        self.kit.as_ref().map(read).transpose()
    }

    /// A recipe that can be played on a song.
    pub fn recipe(&self, song: &SongFile) -> Result<Recipe, String> {
        let recipe = self.plain_recipe()?;
        let path = self.recipe.as_deref().unwrap_or(Path::new("recipe"));
        recipe.check_within(song.end, &song.tempo).map_err(|error| named(path, error))?;
        Ok(recipe)
    }

    /// Of each part the recipe that it is played by.
    fn recipes(&self, song: &SongFile, charts: &[Chart]) -> Result<Vec<Recipe>, String> {
        let parts = song.parts.iter().zip(charts);
        if let Some(wanted) = &self.start {
            let sections = song.sections();
            let context = Context { sections: &sections, ..Context::new(&song.tempo, &song.metre) };
            return parts.map(|(part, chart)| start(wanted, part, chart, &context)).collect();
        }
        let recipe = self.recipe(song)?;
        for said in aims_at_nothing(&recipe, song, charts) {
            output::complain(&said);
        }
        Ok(parts.map(|(part, _)| if part.drums { recipe.clone() } else { Recipe::default() }).collect())
    }

    /// Of each part its kit and whether it is taken as drums.
    fn kits(&self, song: &SongFile) -> Result<Vec<Kit>, String> {
        let read = |path: &PathBuf| -> Result<Kit, String> {
            let text = read_text(path)?;
            Ok(KitFile::parse(&text).map_err(|error| named(path, error))?.kit)
        };
        let (own, sampler) = (self.kit.as_ref().map(read).transpose()?, self.sampler.as_ref().map(read).transpose()?);
        let kit = |part: &SongPart| {
            if !part.drums {
                return part.kit(false);
            }
            let base = || own.clone().unwrap_or_else(Kit::general_midi);
            match (&sampler, &own) {
                (Some(sampler), _) => base().sent_to(sampler, &part.part).0.with_unknown(&part.part),
                (None, Some(own)) => own.clone().with_unknown(&part.part),
                (None, None) => part.kit(true),
            }
        };
        Ok(song.parts.iter().map(kit).collect())
    }
}

/// The starting point of this name for a part; no other parts than drums are given any.
fn start(wanted: &str, part: &SongPart, chart: &Chart, context: &Context<'_>) -> Result<Recipe, String> {
    if !part.drums {
        return Ok(Recipe::default());
    }
    let points = starting_points(&part.part, chart, context);
    let names: Vec<&str> = points.iter().map(|one| one.name).collect();
    let there_are = format!("--start: there is no “{wanted}”; there are {}", names.join(", "));
    points.into_iter().find(|one| one.name.eq_ignore_ascii_case(wanted)).map(|one| one.recipe).ok_or(there_are)
}

/// Passes of which a name is not that of anything in the song, each with what there is.
fn aims_at_nothing(recipe: &Recipe, song: &SongFile, charts: &[Chart]) -> Vec<String> {
    let drums = song.parts.iter().zip(charts).filter(|(part, _)| part.drums);
    let ids: BTreeSet<&str> =
        drums.flat_map(|(_, chart)| &chart.kit.instruments).map(|instrument| instrument.id.as_str()).collect();
    let sections: BTreeSet<String> = song.sections().into_iter().map(|section| section.name).collect();
    let listed = |names: Vec<&str>| if names.is_empty() { "none".to_owned() } else { names.join(", ") };
    let mut said = Vec::new();
    for pass in recipe.passes.iter().filter(|pass| pass.on) {
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
    pub fn new(song: &'a SongFile, playing: &Playing) -> Result<Played<'a>, String> {
        let charts = song.parts.iter().zip(playing.kits(song)?).map(|(part, kit)| Chart::new(&part.part, kit));
        let charts: Vec<Chart> = charts.collect();
        let recipes = playing.recipes(song, &charts)?;
        Ok(Played { song, charts, recipes, variation: playing.variation })
    }

    /// Whether anything is otherwise than it is written.
    fn is_other(&self) -> bool {
        self.recipes.iter().flat_map(|recipe| &recipe.passes).any(|pass| pass.on)
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
    part: Option<u32>,
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
pub struct Layout {
    pub fine: bool,
    pub lead_in: bool,
    pub split: bool,
    pub one_track: bool,
    pub movement: Movement,
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
    let (bytes, song) = read_song(input)?;
    let played = Played::new(&song, playing)?;
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
            let (sent, own) = one.sent_apart(&played.charts[index], layout.movement.into(), &mut free);
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
    let own_kit = playing.kit.is_some() || playing.sampler.is_some();
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
    let (_, song) = read_song(input)?;
    let played = Played::new(&song, playing)?;
    let own = sounds.map(|path| OwnSounds::of(&path)).transpose()?;
    let (only, range) = (excerpt.only(input, &song)?, excerpt.range(input, &song)?);
    let from = range.map_or(Ticks(0.0), |(from, _)| from);
    let mut all = Vec::new();
    let mut strips = BTreeMap::new();
    let mut of_instruments: BTreeMap<(usize, String), Vec<Strike>> = BTreeMap::new();
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
            Some(own) => KitSounds::of_drums(&own.fit(chart.kit.clone())?),
            None => KitSounds::of_drums(&chart.kit.clone().without_samples()),
        };
        all.extend(sounds.strikes(performance.sounding(), index as u32, &song.tempo, from));
        if !stems {
            continue;
        }
        let mut hits: BTreeMap<String, Vec<&PlayedHit>> = BTreeMap::new();
        for hit in performance.sounding() {
            let instrument = chart.instrument_of(hit.note, hit.channel).filter(|_| part.drums);
            let name =
                instrument.map_or(part.name.clone(), |at| format!("{}, {}", part.name, chart.kit.instruments[at].name));
            hits.entry(name).or_default().push(hit);
        }
        for (name, hits) in hits {
            of_instruments.insert((index, name), sounds.strikes(hits, index as u32, &song.tempo, from));
        }
    }
    let mix = Mixdown::new(all).with_strips(strips);
    let mix = Arc::new(match own {
        Some(own) => mix.with_recordings(Arc::new(own)),
        None => mix,
    });
    if mix.seconds() > LONGEST_WAV {
        let minutes = mix.seconds() / 60.0;
        let said = format!("what is played lasts {minutes:.0} minutes; a WAV file is made of an hour at most");
        return Err(named(input, said));
    }
    let mut progress = output::Progress::new("rendering")?;
    if !stems {
        return output::write(output, |out| mix.write(out, |share| progress.go_on(share)));
    }
    let count = of_instruments.len().max(1) as f64;
    output::write(output, |out| {
        let mut zip = ZipWriter::new_stream(out);
        for (place, ((_, name), strikes)) in of_instruments.into_iter().enumerate() {
            let name: String =
                name.chars().map(|one| if matches!(one, '/' | '\\' | ':') { '_' } else { one }).collect();
            zip.start_file(format!("{}, {name}.wav", place + 1), SimpleFileOptions::default())?;
            mix.stem(strikes, Vec::new()).write(&mut zip, |share| progress.go_on((place as f64 + share) / count))?;
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
    fs::create_dir_all(&folder).map_err(|error| named(&folder, error))?;
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
    let store = shelf_there(data)?;
    let mut songs = store.songs().map_err(|error| error.to_string())?;
    if let Some(name) = song {
        songs.retain(|one| one.name == name);
        if songs.is_empty() {
            return Err(format!("--song: there is no “{name}” on this shelf"));
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
        ));
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
            Err(format!("the server could not start on port {port} ({reason}); choose another with --port"))
        }
    }
}
