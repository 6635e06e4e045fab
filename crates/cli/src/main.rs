//! The `vivida` program: the server, and the same work without a browser.

mod batch;
mod commands;
mod compare;
mod findings;
mod groove;
mod inspect;
mod loops;
mod output;
mod own_sounds;
mod refit;

use clap::{Parser, Subcommand};
use std::panic;
use std::path::PathBuf;
use std::process::ExitCode;

/// Columns of a performance come and go with every request; this allocator keeps their pages.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Makes programmed drum parts feel human.
#[derive(Parser)]
#[command(version, about)]
struct Arguments {
    /// Say on stderr what was mended in files and what was left out.
    #[arg(long, short, global = true)]
    verbose: bool,
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start the server on this machine and print its address.
    Serve {
        /// The folder for the database; by default the user's data directory.
        #[arg(long, value_name = "DIR")]
        data: Option<PathBuf>,
        /// The port; 0 takes any that is free.
        #[arg(long, default_value_t = 8347)]
        port: u16,
        /// Put the demo songs on the shelf.
        #[arg(long)]
        demo: bool,
    },
    /// Play the drum parts of a MIDI file, or a recorded loop, by a recipe and write the result.
    Apply {
        /// A Standard MIDI File; or a loop as WAV, AIFF, FLAC, Ogg Vorbis or MP3, which comes out as WAV.
        input: PathBuf,
        #[command(flatten)]
        playing: commands::Playing,
        /// Where to write.
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
        /// Write over the file that is read, where the output is the same.
        #[arg(long)]
        force: bool,
        /// Write in the fine resolution instead of the file's own.
        #[arg(long)]
        fine: bool,
        /// Put an empty bar in front, so that early first hits survive.
        #[arg(long)]
        lead_in: bool,
        #[command(flatten)]
        excerpt: commands::Excerpt,
        /// A track for each instrument of the drum parts.
        #[arg(long)]
        split: bool,
        /// Everything in one track (format 0).
        #[arg(long)]
        one_track: bool,
        /// Which channels hits are sent on that move in pitch, place, level or brightness.
        #[arg(long, value_enum, default_value = "own")]
        movement: commands::Movement,
        #[command(flatten)]
        said: loops::Said,
        /// Of a recorded loop: how its samples are written, 16, 24 or 32f.
        #[arg(long, default_value = "24")]
        depth: vivida_audio::Depth,
    },
    /// Play the drums of all songs in a folder by a recipe, and say what that did to each.
    Batch(batch::Options),
    /// Pack a song of the shelf, or the whole shelf, with all that was made of it into one file.
    Pack {
        /// The folder of the database; by default the user's data directory.
        #[arg(long, value_name = "DIR")]
        data: Option<PathBuf>,
        /// The song's name; the whole shelf without it.
        #[arg(long, value_name = "NAME")]
        song: Option<String>,
        /// Leave the files of the kits' own sounds out.
        #[arg(long)]
        without_sounds: bool,
        /// Where to write.
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
    },
    /// Put what is in such a file on the shelf.
    Unpack {
        /// A .vivida file.
        input: PathBuf,
        /// The folder of the database; by default the user's data directory.
        #[arg(long, value_name = "DIR")]
        data: Option<PathBuf>,
    },
    /// Show the parts, the instruments and their figures.
    Inspect {
        /// A Standard MIDI File.
        input: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Say how far the drums of one file are from those of another, drum by drum.
    Compare {
        /// A Standard MIDI File.
        one: PathBuf,
        /// The one to learn from.
        other: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Say what a listener would notice in the drum parts, and what mends it.
    Findings {
        /// A Standard MIDI File.
        input: PathBuf,
        #[command(flatten)]
        playing: commands::Playing,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Say what of a newer version of a file was there before; and play it by a recipe that was made for the former one.
    Refit {
        /// The former file.
        old: PathBuf,
        /// The newer one.
        new: PathBuf,
        #[command(flatten)]
        playing: commands::Playing,
        /// Where to write the newer one, played by the recipe as the former one was.
        #[arg(short, long, value_name = "FILE")]
        output: Option<PathBuf>,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Find where something is struck in a recorded loop, how hard and by what.
    Onsets(loops::Options),
    /// Take the groove of a part or of a recorded loop, or turn one from JSON into a MIDI clip and back.
    Groove(groove::Options),
    /// Play a MIDI file with the built-in kit, or with own sounds, into a WAV file.
    Render {
        /// A Standard MIDI File.
        input: PathBuf,
        #[command(flatten)]
        playing: commands::Playing,
        /// Where to write.
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
        #[command(flatten)]
        excerpt: commands::Excerpt,
        #[command(flatten)]
        rendering: commands::Rendering,
    },
}

fn main() -> ExitCode {
    // Nothing here should fail this way; if it does, it is a line like any other failure.
    panic::set_hook(Box::new(|fault| output::complain(&format!("a fault of Vivida's own: {fault}"))));
    let arguments = Arguments::parse();
    if arguments.verbose {
        output::be_verbose();
    }
    let done = panic::catch_unwind(|| run(arguments.command));
    match done {
        Ok(Ok(())) => ExitCode::SUCCESS,
        Ok(Err(message)) => {
            output::complain(&message);
            ExitCode::from(1)
        }
        Err(_) => ExitCode::from(1),
    }
}

fn run(command: Command) -> commands::Done {
    match command {
        Command::Serve { data, port, demo } => commands::serve(data, port, demo),
        Command::Onsets(options) => loops::onsets(&options),
        Command::Apply { input, playing, output, force, excerpt, said, depth, .. } if loops::is_sound(&input) => {
            output::spare(&input, &output, force)?;
            loops::apply(&input, loops::count(excerpt.bars)?, &said, &playing, depth, &output)
        }
        Command::Apply {
            input, playing, output, force, fine, lead_in, excerpt, split, one_track, movement, ..
        } => {
            output::spare(&input, &output, force)?;
            let layout = commands::Layout { fine, lead_in, split, one_track, movement };
            commands::apply(&input, &playing, &output, &excerpt, &layout)
        }
        Command::Batch(options) => batch::batch(options),
        Command::Pack { data, song, without_sounds, output } => {
            commands::pack(data, song.as_deref(), !without_sounds, &output)
        }
        Command::Unpack { input, data } => commands::unpack(&input, data),
        Command::Compare { one, other, json } => compare::compare(&one, &other, json),
        Command::Findings { input, playing, json } => findings::find(&input, &playing, json),
        Command::Groove(options) => groove::groove(options),
        Command::Refit { old, new, playing, output, json } => {
            refit::refit(&old, &new, &playing, output.as_deref(), json)
        }
        Command::Inspect { input, json } => inspect::inspect(&input, json),
        Command::Render { input, playing, output, excerpt, rendering } => {
            commands::render(&input, &playing, &output, &excerpt, rendering)
        }
    }
}
