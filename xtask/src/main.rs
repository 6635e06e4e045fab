//! The workspace's chores: `cargo xtask demo | test | build | bench | …`; `cargo xtask help` tells of each.

use clap::{Parser, Subcommand};
use std::env;
use std::ffi::OsStr;
use std::fs;
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, ExitStatus, Stdio};
use std::sync::LazyLock;
use std::time::{Duration, Instant, SystemTime};

type Done = Result<(), String>;

/// The workspace's chores, from a bare machine. Rust, Node and npm have to be there; everything else
/// is installed where it is missing.
#[derive(Debug, Parser)]
#[command(name = "cargo xtask", bin_name = "cargo xtask")]
struct Options {
    #[command(subcommand)]
    chore: Chore,
}

#[derive(Debug, Subcommand)]
enum Chore {
    /// Builds Vivida and starts it with the demo songs.
    Demo {
        /// Go to `vivida serve`.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        arguments: Vec<String>,
    },
    /// Installs what tests need and runs all checks and tests; says how long each stage took.
    Test {
        /// All but the journeys through the page: no browser.
        #[arg(long, conflicts_with = "journey")]
        quick: bool,
        /// Only the journeys that have this in their name.
        #[arg(long, value_name = "NAME")]
        journey: Option<String>,
    },
    /// Runs a test program for `cargo test`, which names it, and takes its time.
    #[command(hide = true)]
    Stage {
        /// The program and its arguments.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true, required = true)]
        program: Vec<String>,
    },
    /// Builds target/release/vivida with the front end inside.
    Build,
    /// Runs the benchmarks and prints their ratios.
    Bench,
    /// Takes the pictures of docs/screenshots anew.
    Screenshots {
        /// Where the pictures go.
        #[arg(default_value = "docs/screenshots")]
        folder: PathBuf,
    },
    /// Writes the TypeScript types anew.
    Types,
    /// Writes the demo songs anew.
    DemoFiles,
}

/// This program, as it was called: the tests compile it anew in its place.
static OWN: LazyLock<Result<PathBuf, String>> = LazyLock::new(|| env::current_exe().map_err(|error| error.to_string()));

fn main() -> ExitCode {
    LazyLock::force(&OWN);
    let done = match Options::parse().chore {
        Chore::Demo { arguments } => demo(&arguments),
        Chore::Test { quick: _, journey: Some(name) } => journeys(&name),
        Chore::Test { quick, journey: None } => test(quick),
        Chore::Stage { program } => stage(&program),
        Chore::Build => build(),
        Chore::Bench => bench(),
        Chore::Screenshots { folder } => screenshots(&folder),
        Chore::Types => types(),
        Chore::DemoFiles => cargo(["run", "--quiet", "-p", "vivida-demo", "--example", "write-files"]),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("{message}");
            ExitCode::FAILURE
        }
    }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("xtask lies in the workspace").to_owned()
}

fn web() -> PathBuf {
    root().join("web")
}

fn run(program: &str, arguments: impl IntoIterator<Item = impl AsRef<OsStr>>, folder: &Path) -> Done {
    run_with(Command::new(program).args(arguments).current_dir(folder))
}

fn run_with(command: &mut Command) -> Done {
    let shown = format!("{command:?}").replace('"', "");
    println!("· {shown}");
    let status = command.status().map_err(|error| format!("{shown}: {error}; is it installed?"))?;
    if status.success() { Ok(()) } else { Err(format!("{shown}: failed ({status})")) }
}

fn cargo<const N: usize>(arguments: [&str; N]) -> Done {
    run(env!("CARGO"), arguments, &root())
}

fn modified(path: &Path) -> Option<SystemTime> {
    fs::metadata(path).and_then(|found| found.modified()).ok()
}

/// Packages as the lock file names them, installed again only when it is newer.
fn install_packages() -> Done {
    let installed = modified(&web().join("node_modules/.package-lock.json"));
    if installed.is_some() && installed >= modified(&web().join("package-lock.json")) {
        return Ok(());
    }
    run("npm", ["ci", "--no-audit", "--no-fund"], &web())
}

fn bundle() -> Done {
    install_packages()?;
    run("npm", ["run", "--silent", "build"], &web())
}

fn build() -> Done {
    bundle()?;
    cargo(["build", "--release", "-p", "vivida"])?;
    println!("target/release/vivida is ready");
    Ok(())
}

fn demo(arguments: &[String]) -> Done {
    build()?;
    let serve = ["serve", "--demo"].into_iter().chain(arguments.iter().map(String::as_str));
    run("target/release/vivida", serve, &root())
}

fn is_on_path(program: &str) -> bool {
    env::var_os("PATH").is_some_and(|path| env::split_paths(&path).any(|folder| folder.join(program).is_file()))
}

/// Debian's Chromium and its driver, for the browser tests and the pictures.
fn install_browser() -> Done {
    if is_on_path("chromium") && is_on_path("chromedriver") {
        return Ok(());
    }
    let apt = |arguments: &[&str]| {
        let (program, first) = if is_on_path("sudo") { ("sudo", Some("apt-get")) } else { ("apt-get", None) };
        let mut command = Command::new(program);
        run_with(command.args(first).args(arguments).env("DEBIAN_FRONTEND", "noninteractive"))
    };
    apt(&["update"])?;
    apt(&["install", "-y", "--no-install-recommends", "chromium", "chromium-driver"])
}

/// Fails unless each module in this folder is named in this file, and so on in the folders below.
fn modules_are_named(folder: &Path, in_file: &Path) -> Done {
    let Ok(named) = fs::read_to_string(in_file) else { return Ok(()) };
    for found in fs::read_dir(folder).map_err(|error| format!("{}: {error}", folder.display()))?.flatten() {
        let path = found.path();
        let is_module = path.join("mod.rs").exists() || path.extension().is_some_and(|extension| extension == "rs");
        let stem = path.file_stem().and_then(OsStr::to_str).unwrap_or_default();
        if is_module && path != in_file && !named.contains(&format!("mod {stem};")) {
            return Err(format!("{}: write `mod {stem};` in {}", path.display(), in_file.display()));
        }
        if path.is_dir() {
            modules_are_named(&path, &path.join("mod.rs"))?;
        }
    }
    Ok(())
}

/// Each file of tests is a module of its crate's one test program: one that is not named there would
/// never run.
fn all_tests_are_named() -> Done {
    let crates = fs::read_dir(root().join("crates")).map_err(|error| format!("crates: {error}"))?;
    for tests in crates.flatten().map(|found| found.path().join("tests")) {
        if tests.is_dir() {
            modules_are_named(&tests, &tests.join("main.rs"))?;
        }
    }
    Ok(())
}

/// What a stage is told of the run that it is part of: which tests are wanted, and where times and failures are kept.
const WANTED: &str = "VIVIDA_WANTED";
const TIMES: &str = "VIVIDA_TIMES";
const FAILURES: &str = "VIVIDA_FAILURES";

/// So many tests of one program go at once.
const THREADS: &str = "RUST_TEST_THREADS";

fn times() -> PathBuf {
    root().join("target/test-times.txt")
}

fn failures() -> PathBuf {
    root().join("target/test-failures.txt")
}

/// How long each stage took.
struct Stages {
    times: Vec<(String, Duration)>,
}

impl Stages {
    fn take(&mut self, name: &str, stage: impl FnOnce() -> Done) -> Done {
        let begun = Instant::now();
        let done = stage();
        self.times.push((name.to_owned(), begun.elapsed()));
        done
    }

    fn print(&self) {
        println!("\nminutes  stage");
        for (name, time) in &self.times {
            println!("{:>7.1}  {name}", time.as_secs_f64() / 60.0);
        }
        let all: Duration = self.times.iter().map(|(_, time)| *time).sum();
        println!("{:>7.1}  all", all.as_secs_f64() / 60.0);
    }
}

fn test(quick: bool) -> Done {
    let mut stages = Stages { times: Vec::new() };
    for kept in [times(), failures()] {
        fs::create_dir_all(root().join("target")).map_err(|error| format!("target: {error}"))?;
        fs::write(&kept, "").map_err(|error| format!("{}: {error}", kept.display()))?;
    }
    let done = test_in(&mut stages, quick);
    stages.print();
    // Thousands of lines may lie between a failure and the end: it is said again there.
    println!("\n{}", fs::read_to_string(failures()).unwrap_or_default());
    done
}

fn test_in(stages: &mut Stages, quick: bool) -> Done {
    all_tests_are_named()?;
    stages.take("packages and browser", || {
        if !quick {
            install_browser()?;
        }
        install_packages()
    })?;
    stages.take("the page: bundle, types, lints", || {
        bundle()?;
        run("npm", ["run", "--silent", "check"], &web())
    })?;
    stages.take("format", || cargo(["fmt", "--all", "--check"]))?;
    stages.take("compiling tests, and lints", || {
        let mut command = Command::new(env!("CARGO"));
        command.args(["test", "--workspace", "--all-targets", "--no-run"]).current_dir(root());
        run_with(linted(&mut command)?)
    })?;
    // Shown, because the journeys print what they measure in the page.
    let begun = Instant::now();
    let done =
        staged(if quick { "quick" } else { "all" }, &["test", "--workspace", "--no-fail-fast", "--", "--show-output"]);
    let mut rest = begun.elapsed();
    let kept = fs::read_to_string(times()).unwrap_or_default();
    for (name, seconds) in kept.lines().filter_map(|line| line.split_once('\t')) {
        let time = Duration::from_secs_f64(seconds.parse().unwrap_or_default());
        rest = rest.saturating_sub(time);
        match stages.times.iter_mut().find(|(known, _)| known == name) {
            Some((_, known)) => *known += time,
            None => stages.times.push((name.to_owned(), time)),
        }
    }
    stages.times.push(("examples in the documentation".to_owned(), rest));
    done
}

/// Only the journeys with this in their name.
fn journeys(name: &str) -> Done {
    install_browser()?;
    bundle()?;
    staged("journeys", &["test", "--workspace", "--test", "all", "--", "--show-output", name])
}

/// Lets Clippy compile what is ours, with its lints and warnings denied. Compiled by it and not only checked, nothing is
/// worked out twice: a run of `cargo clippy` before would read every package anew.
fn linted(command: &mut Command) -> Result<&mut Command, String> {
    let rustc = Command::new("rustc").args(["--print", "sysroot"]).output();
    let sysroot = rustc.map_err(|error| format!("rustc: {error}"))?.stdout;
    let driver = Path::new(String::from_utf8_lossy(&sysroot).trim()).join("bin/clippy-driver");
    // As `cargo clippy -- -D warnings` hands it on.
    Ok(command
        .env("RUSTC_WORKSPACE_WRAPPER", root().join("xtask/lint.sh"))
        .env("VIVIDA_CLIPPY", driver)
        .env("CLIPPY_ARGS", "-D__CLIPPY_HACKERY__warnings__CLIPPY_HACKERY__"))
}

/// Runs `cargo test`, its programs by [`stage`].
fn staged(wanted: &str, arguments: &[&str]) -> Done {
    let rustc = Command::new("rustc").arg("-vV").output().map_err(|error| format!("rustc: {error}"))?;
    let about = String::from_utf8_lossy(&rustc.stdout).into_owned();
    let host = about.lines().find_map(|line| line.strip_prefix("host: ")).ok_or("rustc does not say its host")?;
    let own = OWN.clone()?;
    let runner = format!("CARGO_TARGET_{}_RUNNER", host.to_uppercase().replace('-', "_"));
    let mut command = Command::new(env!("CARGO"));
    command.args(arguments).current_dir(root()).env(runner, format!("{} stage", own.display()));
    // What failed is said in its message; a way down to the runtime would push that out of a short log.
    command.env("RUST_BACKTRACE", "0").env(WANTED, wanted).env(TIMES, times()).env(FAILURES, failures());
    run_with(linted(&mut command)?)
}

/// Runs one test program, unless nobody wants it now.
fn stage(program: &[String]) -> Done {
    let of = env::var("CARGO_PKG_NAME").unwrap_or_default();
    let is_journey = of == "vivida-e2e";
    match env::var(WANTED).as_deref() {
        Ok("quick") if is_journey => return Ok(()),
        Ok("journeys") if !is_journey => return Ok(()),
        _ => {}
    }
    let begun = Instant::now();
    let mut command = Command::new(&program[0]);
    command.args(&program[1..]);
    // Those that play in time mostly wait; the journeys themselves see to it that no more go at once than can.
    if is_journey && env::var_os(THREADS).is_none() {
        command.env(THREADS, "3");
    }
    let done = watched(&mut command);
    let name = if is_journey { "journeys".to_owned() } else { format!("tests of {of}") };
    // Doctests are run by this, too, many at a time: they are what is left.
    if program[0].contains("/deps/") {
        note(TIMES, &format!("{name}\t{:.1}", begun.elapsed().as_secs_f64()));
    }
    match done {
        Ok((status, _)) if status.success() => Ok(()),
        Ok((status, failed)) => {
            note(FAILURES, &format!("{name}:\n{failed}"));
            Err(format!("{}: failed ({status})", program[0]))
        }
        Err(error) => Err(format!("{}: {error}", program[0])),
    }
}

/// Adds a line to what is kept of this run, if anything is.
fn note(kept: &str, line: &str) {
    if let Some(mut file) = env::var_os(kept).and_then(|path| fs::File::options().append(true).open(path).ok()) {
        let _ = writeln!(file, "{line}");
    }
}

/// Runs a test program; tells how it ended, and what it says of its failures.
fn watched(command: &mut Command) -> io::Result<(ExitStatus, String)> {
    let mut child = command.stdout(Stdio::piped()).spawn()?;
    let mut failed = String::new();
    for line in BufReader::new(child.stdout.take().expect("it is piped")).split(b'\n') {
        let line = line?;
        io::stdout().write_all(&line)?;
        println!();
        let line = String::from_utf8_lossy(&line);
        if !failed.is_empty() || line == "failures:" {
            failed.push_str(&line);
            failed.push('\n');
        }
    }
    Ok((child.wait()?, failed))
}

fn bench() -> Done {
    install_browser()?;
    bundle()?;
    cargo(["bench", "-p", "vivida-core", "--bench", "perform"])?;
    cargo(["bench", "-p", "vivida-smf", "--bench", "file"])?;
    cargo(["bench", "-p", "vivida-sound", "--bench", "mixdown"])?;
    cargo(["bench", "-p", "vivida-audio", "--bench", "listen"])?;
    cargo(["bench", "-p", "vivida-server", "--bench", "shelf"])?;
    cargo(["run", "--release", "-p", "vivida-e2e", "--bin", "frames"])
}

fn screenshots(folder: &Path) -> Done {
    install_browser()?;
    bundle()?;
    let take = ["run", "--quiet", "-p", "vivida-e2e", "--bin", "screenshots", "--"].map(OsStr::new);
    run(env!("CARGO"), take.into_iter().chain([folder.as_os_str()]), &root())
}

fn types() -> Done {
    let mut command = Command::new(env!("CARGO"));
    command.args(["test", "--quiet", "-p", "vivida-server", "types::"]);
    run_with(command.current_dir(root()).env("VIVIDA_WRITE_TYPES", "1"))
}
