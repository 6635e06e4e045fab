//! What the subcommands do. Errors are one line for people.

use crate::output;
use clap::Args;
use std::collections::BTreeMap;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vivida_core::{BarRange, Context, Performance, Recipe, RecipeFile, Ticks, perform};
use vivida_server::App;
use vivida_smf::{Arrangement, Export, Resolution, SongFile};
use vivida_sound::{KitSounds, Mixdown, Strike};
use vivida_store::Store;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

pub type Done = Result<(), String>;

pub fn named(path: &Path, error: impl std::fmt::Display) -> String {
    format!("{}: {error}", path.display())
}

/// Reads a song.
pub fn read_song(path: &Path) -> Result<(Vec<u8>, SongFile), String> {
    let bytes = fs::read(path).map_err(|error| named(path, error))?;
    let song = vivida_smf::read(&bytes).map_err(|error| named(path, error))?;
    for mended in &song.mended {
        output::note(path, mended);
    }
    Ok((bytes, song))
}

/// A recipe that can be played on a song.
fn read_recipe(path: Option<&Path>, song: &SongFile) -> Result<Recipe, String> {
    let Some(path) = path else { return Ok(Recipe::default()) };
    let text = fs::read_to_string(path).map_err(|error| named(path, error))?;
    let recipe = RecipeFile::parse(&text).map_err(|error| named(path, error))?.plain();
    recipe.check().map_err(|error| named(path, error))?;
    recipe.check_within(song.end, &song.tempo).map_err(|error| named(path, error))?;
    Ok(recipe)
}

/// Every part as it is played: drum parts by the recipe, the others as they are.
pub fn play(song: &SongFile, recipe: &Recipe, variation: u32, start: Ticks) -> Vec<(usize, Performance)> {
    let sections = song.sections();
    let context = Context { variation, start, sections: &sections, ..Context::new(&song.tempo, &song.metre) };
    let none = Recipe::default();
    let parts = song.parts.iter().enumerate();
    parts
        .map(|(index, part)| {
            let recipe = if part.drums { recipe } else { &none };
            (index, perform(&part.part, &part.chart(part.drums), recipe, &context))
        })
        .collect()
}

/// What of a song is wanted.
#[derive(Args)]
pub struct Excerpt {
    /// Only this part, counted from 1 as `inspect` lists them.
    #[arg(long, value_name = "N")]
    part: Option<usize>,
    /// Only these bars: 5-8.
    #[arg(long, value_name = "BARS")]
    bars: Option<BarRange>,
}

impl Excerpt {
    /// The place of the part that is wanted.
    fn only(&self, path: &Path, song: &SongFile) -> Result<Option<usize>, String> {
        let Some(number) = self.part else { return Ok(None) };
        let place = number.wrapping_sub(1);
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
}

pub fn apply(
    input: &Path,
    recipe: Option<&Path>,
    variation: u32,
    output: &Path,
    excerpt: &Excerpt,
    layout: &Layout,
) -> Done {
    let (bytes, song) = read_song(input)?;
    let recipe = read_recipe(recipe, &song)?;
    let resolution = if layout.fine { Resolution::Fine } else { Resolution::Own };
    let export = Export { resolution, lead_in: layout.lead_in };
    let (only, range) = (excerpt.only(input, &song)?, excerpt.range(input, &song)?);
    let treats = recipe.passes.iter().any(|pass| pass.on);
    let mut performances = Vec::new();
    if treats || range.is_some() {
        performances = play(&song, &recipe, variation, export.start(&song));
    }
    match range {
        Some((from, to)) => {
            let between =
                |(index, played): (usize, Performance)| (index, played.between(&song.parts[index].part, from, to));
            performances = performances.into_iter().map(between).collect();
        }
        // What no recipe treats comes out as it went in.
        None => performances.retain(|&(index, _)| song.parts[index].drums),
    }
    let arrangement = Arrangement {
        only,
        bars: excerpt.bars.map(|bars| (bars.from, bars.to)),
        split: layout.split,
        one_track: layout.one_track,
    };
    let written = vivida_smf::write(&bytes, &song, &performances, export);
    let arranged = vivida_smf::arrange(&written, &song, export, &arrangement);
    output::write(output, |out| out.write_all(&arranged))
}

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;

pub fn render(
    input: &Path,
    recipe: Option<&Path>,
    variation: u32,
    output: &Path,
    excerpt: &Excerpt,
    stems: bool,
) -> Done {
    let (_, song) = read_song(input)?;
    let recipe = read_recipe(recipe, &song)?;
    let (only, range) = (excerpt.only(input, &song)?, excerpt.range(input, &song)?);
    let from = range.map_or(Ticks(0.0), |(from, _)| from);
    let mut all = Vec::new();
    let mut of_instruments: BTreeMap<(usize, String), Vec<Strike>> = BTreeMap::new();
    for (index, mut played) in play(&song, &recipe, variation, Ticks(0.0)) {
        if only.is_some_and(|only| only != index) {
            continue;
        }
        let part = &song.parts[index];
        if let Some((from, to)) = range {
            played = played.between(&part.part, from, to);
        }
        let kit = part.kit(part.drums);
        let lookup = kit.lookup();
        let sounds = if part.drums { KitSounds::of_drums(&kit) } else { KitSounds::of_tones() };
        for hit in played.sounding() {
            let strike = sounds.strikes([hit], index as u32, &song.tempo, from);
            if stems {
                let instrument = lookup.instrument(hit.note, hit.channel).filter(|_| part.drums);
                let name =
                    instrument.map_or(part.name.clone(), |at| format!("{}, {}", part.name, kit.instruments[at].name));
                of_instruments.entry((index, name)).or_default().extend(&strike);
            }
            all.extend(strike);
        }
    }
    let mix = Arc::new(Mixdown::new(all));
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
            mix.stem(strikes).write(&mut zip, |share| progress.go_on((place as f64 + share) / count))?;
        }
        zip.finish()?;
        Ok(())
    })
}

pub fn serve(data: Option<PathBuf>, port: u16, demo: bool) -> Done {
    let folder = match data {
        Some(folder) => folder,
        None => directories::ProjectDirs::from("", "", "vivida")
            .map(|found| found.data_dir().to_owned())
            .ok_or("there is no home directory for the data; choose a folder with --data")?,
    };
    fs::create_dir_all(&folder).map_err(|error| named(&folder, error))?;
    let store = Store::open(&folder.join("vivida.sqlite")).map_err(|error| error.to_string())?;
    let app = App::new(store);
    if demo {
        app.add_demo()?;
    }
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
        vivida_server::rocket(Arc::new(app), port).attach(liftoff).launch().await
    });
    match launched {
        Ok(_) => Ok(()),
        Err(error) => {
            let reason = error.kind().to_string();
            // Rocket insists that its errors are looked at before they are dropped.
            drop(error);
            Err(format!("the server could not start on port {port} ({reason}); choose another with --port"))
        }
    }
}
