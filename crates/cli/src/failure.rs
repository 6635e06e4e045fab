//! Why a command was not done: one line for people, and how the program ends.

use std::fmt::Display;
use std::io::{self, ErrorKind};
use std::path::Path;

/// What a command comes to.
pub type Done = Result<(), Failure>;

/// Why it came to nothing.
#[derive(Debug)]
pub enum Failure {
    /// What was asked for cannot be done with this input, or here: the program ends with 1.
    Failed(String),
    /// It was asked for wrongly: the program ends with 2.
    Usage(String),
}

impl Failure {
    /// It was asked for wrongly by an option.
    pub fn usage(option: &str, why: impl Display) -> Failure {
        Failure::Usage(format!("{option}: {why}"))
    }

    pub fn into_words(self) -> String {
        let (Failure::Failed(why) | Failure::Usage(why)) = self;
        why
    }
}

impl From<String> for Failure {
    fn from(why: String) -> Failure {
        Failure::Failed(why)
    }
}

/// What is wrong with a file or a folder; `-` is standard input.
pub fn named(path: &Path, error: impl Display) -> String {
    if path == Path::new("-") {
        return format!("standard input: {error}");
    }
    format!("{}: {error}", path.display())
}

/// Why a file cannot be read or written, in words. The system's own name paths that nobody typed.
pub fn in_words(error: &io::Error) -> String {
    let said = match error.kind() {
        ErrorKind::NotFound => "there is no such file or folder",
        ErrorKind::PermissionDenied => "it may not be read or written by you",
        ErrorKind::IsADirectory => "this is a folder",
        ErrorKind::NotADirectory => "part of the path is a file, not a folder",
        ErrorKind::ReadOnlyFilesystem => "the disk cannot be written to",
        ErrorKind::StorageFull | ErrorKind::QuotaExceeded => "the disk is full; make room and try again",
        ErrorKind::Interrupted => "stopped; nothing was written",
        ErrorKind::InvalidFilename => "the name is too long, or not one that this disk allows",
        kind => return kind.to_string(),
    };
    said.to_owned()
}

/// What the name of a file that is written may end in; without an ending, or to standard output, anything goes.
pub fn ends_in(path: &Path, endings: &[&str], what: &str) -> Done {
    let Some(ending) = path.extension().map(|ending| ending.to_string_lossy().to_lowercase()) else { return Ok(()) };
    if endings.contains(&&*ending) {
        return Ok(());
    }
    let wanted: Vec<String> = endings.iter().map(|one| format!(".{one}")).collect();
    Err(Failure::Usage(format!(
        "{}: what is written is {what}; end the name in {}",
        path.display(),
        wanted.join(" or ")
    )))
}
