//! What the subcommands do. Errors are one line for people.

use crate::output;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vivida_core::{Context, Performance, Recipe, RecipeFile, Ticks, perform};
use vivida_server::App;
use vivida_smf::{Export, Resolution, SongFile};
use vivida_store::Store;

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

pub fn apply(input: &Path, recipe: Option<&Path>, variation: u32, output: &Path, fine: bool, lead_in: bool) -> Done {
    let (bytes, song) = read_song(input)?;
    let recipe = read_recipe(recipe, &song)?;
    let resolution = if fine { Resolution::Fine } else { Resolution::Own };
    let export = Export { resolution, lead_in };
    let performances = if recipe.passes.iter().any(|pass| pass.on) {
        let all = play(&song, &recipe, variation, export.start(&song));
        all.into_iter().filter(|&(index, _)| song.parts[index].drums).collect()
    } else {
        Vec::new()
    };
    let written = vivida_smf::write(&bytes, &song, &performances, export);
    output::write(output, |out| out.write_all(&written))
}

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;

pub fn render(input: &Path, recipe: Option<&Path>, variation: u32, output: &Path) -> Done {
    let (_, song) = read_song(input)?;
    let recipe = read_recipe(recipe, &song)?;
    let strikes = play(&song, &recipe, variation, Ticks(0.0)).into_iter().flat_map(|(index, performance)| {
        vivida_sound::strikes(performance.hits(), song.parts[index].drums, &song.tempo, Ticks(0.0))
    });
    let mix = vivida_sound::Mixdown::new(strikes.collect());
    if mix.seconds() > LONGEST_WAV {
        let minutes = mix.seconds() / 60.0;
        let said = format!("what is played lasts {minutes:.0} minutes; a WAV file is made of an hour at most");
        return Err(named(input, said));
    }
    let mut progress = output::Progress::new("rendering")?;
    output::write(output, |out| mix.write(out, |share| progress.go_on(share)))
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
