//! Where results and words go: whole files or none, one line on stderr, no fault where nobody listens.

use crate::failure::{Done, Failure, in_words, named};
use std::fs::{self, File};
use std::io::{self, BufWriter, ErrorKind, IsTerminal, Seek, Write};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};

static VERBOSE: AtomicBool = AtomicBool::new(false);
static STOPPED: AtomicBool = AtomicBool::new(false);
/// A file went to standard output: words would be read as part of it.
static OUT_IS_A_FILE: AtomicBool = AtomicBool::new(false);

/// Notes are said on stderr from now on.
pub fn be_verbose() {
    VERBOSE.store(true, Ordering::Relaxed);
}

/// What was mended or left out, for those who asked for notes.
pub fn note(path: &Path, words: &str) {
    if VERBOSE.load(Ordering::Relaxed) {
        complain(&format!("{}: note: {words}", path.display()));
    }
}

/// A line on stderr.
pub fn complain(words: &str) {
    // Where stderr is closed nobody is left to be told.
    let _ = writeln!(io::stderr(), "vivida: {}", words.replace('\n', " "));
}

/// The answer of a command. Who stops reading has read enough.
pub fn say(text: &str) -> Done {
    if OUT_IS_A_FILE.load(Ordering::Relaxed) {
        text.lines().for_each(complain);
        return Ok(());
    }
    let mut out = io::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() == ErrorKind::StorageFull => {
            Err("the disk that the answer goes to is full; make room and try again".to_owned().into())
        }
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            Err(format!("the answer cannot be written: {}", in_words(&error)).into())
        }
        _ => Ok(()),
    }
}

/// Whether a path is `-`: standard input where something is read, standard output where it is written.
pub fn is_standard(path: &Path) -> bool {
    path == Path::new("-")
}

/// A file to read in any order; what comes on standard input is put into one first.
pub fn opened(path: &Path) -> Result<File, String> {
    if !is_standard(path) {
        return File::open(path).map_err(|error| named(path, in_words(&error)));
    }
    let failed = |error: io::Error| named(path, in_words(&error));
    let mut file = tempfile::tempfile().map_err(failed)?;
    let copied = io::copy(&mut io::stdin().lock(), &mut file).and_then(|_| file.rewind());
    copied.map(|()| file).map_err(failed)
}

/// Refuses to write over what was read, where nobody said that it may.
pub fn spare(input: &Path, output: &Path, force: bool) -> Done {
    let same = [input, output].map(|path| path.canonicalize().ok());
    match same {
        [Some(one), Some(other)] if one == other && !force => {
            let why = "this would write over what is read; say so with --force, or write elsewhere";
            Err(Failure::Usage(named(output, why)))
        }
        _ => Ok(()),
    }
}

/// Writes a file whole or not at all: what was there before stays until the new one is complete.
pub fn write(path: &Path, fill: impl FnOnce(&mut BufWriter<&File>) -> io::Result<()>) -> Done {
    let failed = |error: io::Error| match error.kind() {
        ErrorKind::Interrupted => Failure::from(in_words(&error)),
        ErrorKind::NotFound => named(path, "there is no such folder").into(),
        _ => named(path, in_words(&error)).into(),
    };
    let fill = |file: &File| {
        let mut out = BufWriter::with_capacity(1 << 16, file);
        fill(&mut out)?;
        out.flush()
    };
    if is_standard(path) {
        OUT_IS_A_FILE.store(true, Ordering::Relaxed);
        let mut bytes = tempfile::tempfile().map_err(failed)?;
        fill(&bytes).map_err(failed)?;
        bytes.rewind().map_err(failed)?;
        let mut out = io::stdout().lock();
        return match io::copy(&mut bytes, &mut out).and_then(|_| out.flush()) {
            Err(error) if error.kind() == ErrorKind::BrokenPipe => Ok(()),
            Err(error) if error.kind() == ErrorKind::StorageFull => Err(failed(error)),
            Err(error) => Err(format!("standard output: {}", in_words(&error)).into()),
            Ok(()) => Ok(()),
        };
    }
    // A device or a pipe is written to as it is.
    if fs::metadata(path).is_ok_and(|found| !found.is_file()) {
        let file = File::options().write(true).open(path).map_err(failed)?;
        return fill(&file).map_err(failed);
    }
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let beside = tempfile::Builder::new().prefix(".vivida-").suffix(".part").tempfile_in(folder).map_err(failed)?;
    fill(beside.as_file()).map_err(failed)?;
    let kept = fs::metadata(path).map(|found| found.permissions()).ok();
    let file = beside.persist(path).map_err(|error| failed(error.error))?;
    // As any new file, rather than the owner's alone as files beside are.
    let permissions = kept.unwrap_or_else(usual_permissions);
    file.set_permissions(permissions).map_err(failed)
}

#[cfg(unix)]
fn usual_permissions() -> fs::Permissions {
    use std::os::unix::fs::PermissionsExt;
    fs::Permissions::from_mode(0o644)
}

#[cfg(not(unix))]
fn usual_permissions() -> fs::Permissions {
    fs::metadata(".").map(|found| found.permissions()).expect("the folder is there")
}

/// How far long work is, where somebody watches; and whether it is to go on.
pub struct Progress {
    what: &'static str,
    shown: Option<u32>,
}

impl Progress {
    /// Shows shares of some work, and lets Ctrl+C stop it in good order.
    pub fn new(what: &'static str) -> Result<Progress, String> {
        ctrlc::set_handler(|| STOPPED.store(true, Ordering::Relaxed)).map_err(|error| error.to_string())?;
        Ok(Progress { what, shown: io::stderr().is_terminal().then_some(0) })
    }

    /// Whether somebody pressed Ctrl+C.
    pub fn is_stopped(&self) -> bool {
        STOPPED.load(Ordering::Relaxed)
    }

    /// Takes note that a share (0 to 1) is done; answers whether to go on.
    pub fn go_on(&mut self, share: f64) -> bool {
        let percent = (share * 100.0) as u32;
        if let Some(shown) = &mut self.shown
            && *shown != percent
        {
            *shown = percent;
            let end = if percent == 100 { "\n" } else { "" };
            let _ = write!(io::stderr(), "\r{} {percent} %{end}", self.what);
        }
        !STOPPED.load(Ordering::Relaxed)
    }
}
