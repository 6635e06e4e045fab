//! The `vivida` program: the server, and the same work without a browser.

mod batch;
mod commands;
mod compare;
mod failure;
mod findings;
mod groove;
mod inspect;
mod loops;
mod manual;
mod output;
mod own_sounds;
mod refit;

use clap::{Args, CommandFactory, Parser, Subcommand};
use failure::{Done, Failure};
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
    #[arg(long, short, global = true, display_order = 900)]
    verbose: bool,
    #[command(subcommand)]
    command: Command,
}

/// Each command takes what is read, then how it is played, what of it is wanted, how it is written, and where.
#[derive(Subcommand)]
enum Command {
    /// Start the server on this machine and print its address.
    Serve {
        #[command(flatten)]
        shelf: Shelf,
        /// The port; 0 takes any that is free.
        #[arg(long, value_name = "N", default_value_t = 8347)]
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
        #[command(flatten)]
        excerpt: commands::Excerpt,
        #[command(flatten)]
        layout: commands::Layout,
        #[command(flatten)]
        said: loops::Said,
        /// Of a recorded loop: how its samples are written, 16, 24 or 32f; 24 without it.
        #[arg(long, value_name = "BITS")]
        depth: Option<vivida_audio::Depth>,
        #[command(flatten)]
        target: Target,
        /// Write over the file that is read, where the output is the same.
        #[arg(long)]
        force: bool,
    },
    /// Play a MIDI file with the built-in kit, or with own sounds, into a WAV file.
    Render {
        #[command(flatten)]
        song: Song,
        #[command(flatten)]
        playing: commands::Playing,
        #[command(flatten)]
        excerpt: commands::Excerpt,
        #[command(flatten)]
        rendering: commands::Rendering,
        #[command(flatten)]
        target: Target,
    },
    /// Play the drum parts of all songs in a folder by a recipe, and say what that did to each.
    Batch(batch::Options),
    /// Show the parts, the instruments and their figures.
    Inspect {
        #[command(flatten)]
        song: Song,
        #[command(flatten)]
        reading: commands::Reading,
        #[command(flatten)]
        form: Form,
    },
    /// Say what a listener would notice in the drum parts, and what mends it.
    Findings {
        #[command(flatten)]
        song: Song,
        #[command(flatten)]
        playing: commands::Playing,
        #[command(flatten)]
        form: Form,
    },
    /// Say how far the drums of one file are from those of another, drum by drum.
    Compare {
        /// A Standard MIDI File.
        one: PathBuf,
        /// The one to learn from.
        other: PathBuf,
        #[command(flatten)]
        form: Form,
    },
    /// Say what of a newer version of a file was there before; and play it by a recipe that was made for the former one.
    Refit {
        /// The former file.
        old: PathBuf,
        /// The newer one.
        new: PathBuf,
        #[command(flatten)]
        playing: commands::Playing,
        #[command(flatten)]
        form: Form,
        /// Where to write the newer one, played by the recipe as the former one was.
        #[arg(short, long, value_name = "FILE")]
        output: Option<PathBuf>,
    },
    /// Find where something is struck in a recorded loop, how hard and by what.
    Onsets(loops::Options),
    /// Take the groove of a part or of a recorded loop, or turn one from JSON into a MIDI clip and back.
    Groove(groove::Options),
    /// Pack a song of the shelf, or the whole shelf, with all that was made of it into one file.
    Pack {
        #[command(flatten)]
        shelf: Shelf,
        /// The song's name; the whole shelf without it.
        #[arg(long, value_name = "NAME")]
        song: Option<String>,
        /// Leave the files of the kits' own sounds out.
        #[arg(long)]
        without_sounds: bool,
        #[command(flatten)]
        target: Target,
    },
    /// Put what is in such a file on the shelf.
    Unpack {
        /// A .vivida file.
        input: PathBuf,
        #[command(flatten)]
        shelf: Shelf,
    },
    /// Print what makes a shell complete these commands and their options.
    Completions {
        /// Which shell.
        shell: clap_complete::Shell,
    },
    /// Print the manual page, or write it and those of all commands to a folder.
    Man {
        /// Where to write them.
        #[arg(short, long, value_name = "DIR")]
        output: Option<PathBuf>,
    },
}

#[derive(Args)]
struct Shelf {
    /// The folder of the database; the user's data directory without it.
    #[arg(long, value_name = "DIR")]
    data: Option<PathBuf>,
}

#[derive(Args)]
struct Song {
    /// A Standard MIDI File.
    input: PathBuf,
}

#[derive(Args)]
struct Form {
    /// As JSON.
    #[arg(long)]
    json: bool,
}

#[derive(Args)]
struct Target {
    /// Where to write.
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
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
        Ok(Err(failure)) => {
            let status = if matches!(failure, Failure::Usage(_)) { 2 } else { 1 };
            output::complain(&failure.into_words());
            ExitCode::from(status)
        }
        Err(_) => ExitCode::from(1),
    }
}

fn run(command: Command) -> Done {
    match command {
        Command::Serve { shelf, port, demo } => commands::serve(shelf.data, port, demo),
        Command::Apply { input, playing, excerpt, layout, said, depth, target: Target { output }, force } => {
            output::spare(&input, &output, force)?;
            if loops::is_sound(&input) {
                return loops::apply(&input, &playing, &output, &excerpt, &layout, (&said, depth));
            }
            if let Some(option) = said.given().or(depth.map(|_| "--depth")) {
                return Err(Failure::usage(option, loops::OF_LOOPS));
            }
            commands::apply(&input, &playing, &output, &excerpt, &layout)
        }
        Command::Render { song, playing, excerpt, rendering, target } => {
            commands::render(&song.input, &playing, &target.output, &excerpt, rendering)
        }
        Command::Batch(options) => batch::batch(options),
        Command::Inspect { song, reading, form } => inspect::inspect(&song.input, &reading, form.json),
        Command::Findings { song, playing, form } => findings::find(&song.input, &playing, form.json),
        Command::Compare { one, other, form } => compare::compare(&one, &other, form.json),
        Command::Refit { old, new, playing, form, output } => {
            refit::refit(&old, &new, &playing, output.as_deref(), form.json)
        }
        Command::Onsets(options) => loops::onsets(&options),
        Command::Groove(options) => groove::groove(options),
        Command::Pack { shelf, song, without_sounds, target } => {
            commands::pack(shelf.data, song.as_deref(), !without_sounds, &target.output)
        }
        Command::Unpack { input, shelf } => commands::unpack(&input, shelf.data),
        Command::Completions { shell } => manual::completions(shell, Arguments::command()),
        Command::Man { output } => manual::pages(output.as_deref(), Arguments::command()),
    }
}
