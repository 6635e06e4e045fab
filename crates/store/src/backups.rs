//! Copies of the database: taken by hand, and by themselves once a day, before a newer Vivida changes it and before
//! another one is restored.

use crate::readers::Readers;
use crate::{Store, StoreError};
use rusqlite::backup::Backup as Copying;
use rusqlite::{Connection, OpenFlags, OptionalExtension};
use serde::Serialize;
use std::cmp::Reverse;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use ts_rs::TS;

/// A copy of the database.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Backup {
    /// Its file's name: when it was taken by this machine's clock, in UTC, and why.
    pub name: String,
    /// In bytes.
    #[ts(type = "number")]
    pub size: u64,
    /// How old it is, in s.
    #[ts(type = "number")]
    pub age: u64,
}

/// Why a backup was taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BackupKind {
    /// Somebody wanted it.
    ByHand,
    /// A day had passed since the one before.
    Daily,
    /// A newer Vivida was about to change the database.
    BeforeUpgrade,
    /// Another backup was about to be restored.
    BeforeRestoring,
}

impl BackupKind {
    const ALL: [BackupKind; 4] =
        [BackupKind::ByHand, BackupKind::Daily, BackupKind::BeforeUpgrade, BackupKind::BeforeRestoring];

    fn words(self) -> &'static str {
        match self {
            BackupKind::ByHand => "by hand",
            BackupKind::Daily => "daily",
            BackupKind::BeforeUpgrade => "before an upgrade",
            BackupKind::BeforeRestoring => "before restoring",
        }
    }

    /// Those by hand and those taken by themselves are counted apart.
    fn is_by_hand(self) -> bool {
        self == BackupKind::ByHand
    }
}

/// So many by hand are kept, and so many of the others; the oldest go first.
const KEPT: usize = 10;
/// After so long another one is taken.
const DAY: Duration = Duration::from_secs(24 * 60 * 60);
const ENDING: &str = ".sqlite";

pub(crate) fn folder_of(path: &Path) -> PathBuf {
    path.with_file_name("backups")
}

pub(crate) fn failed(what: &Path, reason: impl ToString) -> StoreError {
    StoreError::Backup { path: what.to_owned(), reason: reason.to_string() }
}

/// A file of the folder of backups, and its place among them.
struct Found {
    backup: Backup,
    /// By what is inside, for clocks go wrong: its number; in one of a former version the last of its steps. Then when
    /// the file was written.
    order: (i64, i64, Option<SystemTime>),
    /// Nothing where it is no backup of Vivida's.
    kind: Option<BackupKind>,
}

impl Found {
    fn of(entry: &fs::DirEntry) -> Option<Found> {
        let name = entry.file_name().into_string().ok().filter(|name| name.ends_with(ENDING))?;
        let found = entry.metadata().ok().filter(|found| found.is_file())?;
        let modified = found.modified().ok();
        let age = modified.and_then(|when| SystemTime::now().duration_since(when).ok()).unwrap_or_default().as_secs();
        let inside = Inside::of(&entry.path());
        let order = inside.as_ref().map_or((-1, -1), |inside| (inside.number, inside.steps));
        // One of a former version has its kind in its name alone.
        let in_words = |words: &str| BackupKind::ALL.into_iter().find(|kind| words.ends_with(kind.words()));
        let kind = inside.and_then(|inside| {
            let of_name = || Some(in_words(name.trim_end_matches(ENDING)).unwrap_or(BackupKind::Daily));
            inside.kind.as_deref().and_then(in_words).or_else(of_name)
        });
        Some(Found { backup: Backup { name, size: found.len(), age }, order: (order.0, order.1, modified), kind })
    }
}

/// What a backup says of itself.
struct Inside {
    number: i64,
    steps: i64,
    kind: Option<String>,
}

impl Inside {
    fn of(path: &Path) -> Option<Inside> {
        let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).ok()?;
        crate::open::look_at(&connection).ok()?;
        let steps = "SELECT seq FROM sqlite_sequence WHERE name = 'step'";
        let steps = connection.query_row(steps, [], |row| row.get(0)).optional().ok()?.unwrap_or_default();
        let shelf = connection.query_row("SELECT backups, kind FROM shelf", [], |row| Ok((row.get(0)?, row.get(1)?)));
        let (number, kind) = shelf.unwrap_or((0, None));
        Some(Inside { number, steps, kind })
    }
}

/// What lies in the folder beside a database, the newest first.
fn found(path: &Path) -> Vec<Found> {
    let Ok(entries) = fs::read_dir(folder_of(path)) else { return Vec::new() };
    let mut all: Vec<Found> = entries.filter_map(|entry| Found::of(&entry.ok()?)).collect();
    all.sort_by(|a, b| (Reverse(a.order), &b.backup.name).cmp(&(Reverse(b.order), &a.backup.name)));
    all
}

/// Copies a database beside it; whole or not at all.
pub(crate) fn take(connection: &Connection, path: &Path, kind: BackupKind) -> Result<String, StoreError> {
    let folder = folder_of(path);
    fs::create_dir_all(&folder).map_err(|error| failed_at(&folder, &error))?;
    let has_shelf: bool =
        connection
            .query_row("SELECT EXISTS (SELECT 1 FROM sqlite_schema WHERE name = 'shelf')", [], |row| row.get(0))?;
    if has_shelf {
        connection.execute("UPDATE shelf SET backups = backups + 1", [])?;
    }
    let sql = "SELECT strftime('%Y-%m-%d %H.%M.%f', 'now')";
    let when: String = connection.query_row(sql, [], |row| row.get(0))?;
    // A clock that was set back comes by the same moment again.
    let names = (1..).map(|count| match count {
        1 => format!("{when}, {}{ENDING}", kind.words()),
        _ => format!("{when}-{count}, {}{ENDING}", kind.words()),
    });
    let name = names.into_iter().find(|name| !folder.join(name).exists()).unwrap_or_default();
    let (part, whole) = (folder.join(format!("{name}.part")), folder.join(&name));
    let copied = copy(connection, &part, has_shelf.then_some(kind))
        .and_then(|()| fs::rename(&part, &whole).map_err(|error| failed_at(&whole, &error)));
    if let Err(error) = copied {
        remove(&part);
        return Err(error);
    }
    let others = found(path).into_iter().filter(|one| one.backup.name != name);
    let alike = others.filter(|one| one.kind.is_some_and(|other| other.is_by_hand() == kind.is_by_hand()));
    // What was just taken is one of those that stay.
    for old in alike.skip(KEPT - 1) {
        let _ = fs::remove_file(folder.join(&old.backup.name));
    }
    Ok(name)
}

fn failed_at(path: &Path, error: &std::io::Error) -> StoreError {
    match error.kind() {
        std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => StoreError::Full,
        _ => failed(path, error),
    }
}

/// Copies a database into a file of its own.
pub(crate) fn copy(connection: &Connection, to: &Path, kind: Option<BackupKind>) -> Result<(), StoreError> {
    let mut copy = Connection::open(to)?;
    Copying::new(connection, &mut copy)?.run_to_completion(1000, Duration::ZERO, None)?;
    // In one file, with no other beside it.
    copy.pragma_update(None, "journal_mode", "DELETE")?;
    if let Some(kind) = kind {
        copy.execute("UPDATE shelf SET kind = ?1", [kind.words()])?;
    }
    Ok(())
}

/// Removes a database that is not needed any more, with what SQLite puts beside one.
pub(crate) fn remove(path: &Path) {
    for ending in ["", "-journal", "-wal", "-shm"] {
        let mut name = path.as_os_str().to_owned();
        name.push(ending);
        let _ = fs::remove_file(PathBuf::from(name));
    }
}

/// Removes what a program that was killed in the midst of a backup or a restore left behind.
pub(crate) fn sweep(path: &Path) {
    remove(&crate::restore::workplace(path));
    let Ok(entries) = fs::read_dir(folder_of(path)) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if name.ends_with(".part") || name.contains(".part-") || name.contains(".sqlite-") {
            let _ = fs::remove_file(entry.path());
        }
    }
}

impl Store {
    /// The backups, the newest first.
    pub fn backups(&self) -> Vec<Backup> {
        self.readers.backups()
    }

    /// Takes a backup now. A temporary database has none.
    pub fn take_backup(&self, kind: BackupKind) -> Result<Option<String>, StoreError> {
        self.path.as_deref().map(|path| take(&self.connection, path, kind)).transpose()
    }

    /// Takes a backup if the newest is a day old, or there is none.
    pub fn take_daily_backup(&self) -> Result<Option<String>, StoreError> {
        let now = SystemTime::now();
        // One that is dated ahead says nothing of when it was taken.
        let age = |one: &Found| one.order.2.and_then(|when| now.duration_since(when).ok());
        let is_fresh = |one: &Found| one.kind.is_some() && age(one).is_some_and(|age| age < DAY);
        let newest = self.path.as_deref().map(found).unwrap_or_default();
        if newest.iter().find(|one| one.kind.is_some()).is_some_and(is_fresh) {
            return Ok(None);
        }
        self.take_backup(BackupKind::Daily)
    }
}

impl Readers {
    /// The backups, the newest first.
    pub fn backups(&self) -> Vec<Backup> {
        let all = self.lasting().map(found).unwrap_or_default();
        all.into_iter().map(|one| one.backup).collect()
    }

    /// The databases of the backups that are there.
    pub(crate) fn backup_files(&self) -> Vec<PathBuf> {
        let Some(path) = self.lasting() else { return Vec::new() };
        let ours = found(path).into_iter().filter(|one| one.kind.is_some());
        ours.map(|one| folder_of(path).join(one.backup.name)).collect()
    }
}
