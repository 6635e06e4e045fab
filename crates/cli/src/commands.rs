//! What the subcommands do. Errors are one line for people.

use std::fs;
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

/// Reads a song; what was mended is said on stderr.
pub fn read_song(path: &Path) -> Result<(Vec<u8>, SongFile), String> {
    let bytes = fs::read(path).map_err(|error| named(path, error))?;
    let song = vivida_smf::read(&bytes).map_err(|error| named(path, error))?;
    for mended in &song.mended {
        eprintln!("vivida: {}: note: {mended}", path.display());
    }
    Ok((bytes, song))
}

fn read_recipe(path: Option<&Path>) -> Result<Recipe, String> {
    let Some(path) = path else { return Ok(Recipe::default()) };
    let text = fs::read_to_string(path).map_err(|error| named(path, error))?;
    Ok(RecipeFile::parse(&text).map_err(|error| named(path, error))?.plain())
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
    let recipe = read_recipe(recipe)?;
    let (bytes, song) = read_song(input)?;
    let resolution = if fine { Resolution::Fine } else { Resolution::Own };
    let export = Export { resolution, lead_in };
    let performances = if recipe.passes.iter().any(|pass| pass.on) {
        let all = play(&song, &recipe, variation, export.start(&song));
        all.into_iter().filter(|&(index, _)| song.parts[index].drums).collect()
    } else {
        Vec::new()
    };
    let written = vivida_smf::write(&bytes, &song, &performances, export);
    fs::write(output, written).map_err(|error| named(output, error))
}

pub fn render(input: &Path, recipe: Option<&Path>, variation: u32, output: &Path) -> Done {
    let recipe = read_recipe(recipe)?;
    let (_, song) = read_song(input)?;
    let strikes = play(&song, &recipe, variation, Ticks(0.0)).into_iter().flat_map(|(index, performance)| {
        vivida_sound::strikes(&performance.hits, song.parts[index].drums, &song.tempo, Ticks(0.0))
    });
    fs::write(output, vivida_sound::mixdown(strikes.collect())).map_err(|error| named(output, error))
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
                println!("Vivida is at http://127.0.0.1:{}/ (stop with Ctrl+C)", rocket.config().port);
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
