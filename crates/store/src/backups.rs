//! Copies of the database that are taken by themselves: before a newer Vivida changes it, and once a day.

use crate::{Store, StoreError};
use rusqlite::Connection;
use rusqlite::backup::Backup as Copying;
use serde::Serialize;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use ts_rs::TS;

/// A copy of the database.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Backup {
    /// Its file's name: when it was taken, in UTC, and why.
    pub name: String,
    /// In bytes.
    #[ts(type = "number")]
    pub size: u64,
    /// How old it is, in s.
    #[ts(type = "number")]
    pub age: u64,
}

/// So many are kept; the oldest go first.
const KEPT: usize = 10;
/// After so long another one is taken.
const DAY: Duration = Duration::from_secs(24 * 60 * 60);
const ENDING: &str = ".sqlite";

fn folder_of(path: &Path) -> PathBuf {
    path.with_file_name("backups")
}

fn failed(what: &Path, reason: impl ToString) -> StoreError {
    StoreError::Backup { path: what.to_owned(), reason: reason.to_string() }
}

/// The backups beside a database, the newest first.
fn listed(path: &Path) -> Vec<Backup> {
    let Ok(entries) = fs::read_dir(folder_of(path)) else { return Vec::new() };
    let backup = |entry: fs::DirEntry| {
        let name = entry.file_name().into_string().ok().filter(|name| name.ends_with(ENDING))?;
        let found = entry.metadata().ok().filter(|found| found.is_file())?;
        let age = SystemTime::now().duration_since(found.modified().ok()?).unwrap_or_default().as_secs();
        Some(Backup { name, size: found.len(), age })
    };
    let mut all: Vec<Backup> = entries.filter_map(|entry| backup(entry.ok()?)).collect();
    // Names begin with when they were taken.
    all.sort_by(|a, b| b.name.cmp(&a.name));
    all
}

/// Copies a database beside it; whole or not at all.
pub(crate) fn take(connection: &Connection, path: &Path, why: &str) -> Result<String, StoreError> {
    let folder = folder_of(path);
    fs::create_dir_all(&folder).map_err(|error| failed(&folder, error))?;
    let sql = "SELECT strftime('%Y-%m-%d %H.%M.%f', 'now')";
    let when: String = connection.query_row(sql, [], |row| row.get(0))?;
    let name = format!("{when}, {why}{ENDING}");
    let (part, whole) = (folder.join(format!("{name}.part")), folder.join(&name));
    let copied = copy(connection, &part).and_then(|()| fs::rename(&part, &whole).map_err(|error| error.to_string()));
    if let Err(reason) = copied {
        let _ = fs::remove_file(&part);
        return Err(failed(&whole, reason));
    }
    for old in listed(path).iter().skip(KEPT) {
        let _ = fs::remove_file(folder.join(&old.name));
    }
    Ok(name)
}

fn copy(connection: &Connection, to: &Path) -> Result<(), String> {
    let failed = |error: rusqlite::Error| error.to_string();
    let mut copy = Connection::open(to).map_err(failed)?;
    Copying::new(connection, &mut copy)
        .and_then(|copying| copying.run_to_completion(1000, Duration::ZERO, None))
        .map_err(failed)?;
    // In one file, with no other beside it.
    copy.pragma_update(None, "journal_mode", "DELETE").map_err(failed)
}

impl Store {
    /// The backups, the newest first.
    pub fn backups(&self) -> Vec<Backup> {
        self.path.as_deref().map(listed).unwrap_or_default()
    }

    /// Takes a backup now. A database in memory has none.
    pub fn take_backup(&self, why: &str) -> Result<Option<String>, StoreError> {
        self.path.as_deref().map(|path| take(&self.connection, path, why)).transpose()
    }

    /// Takes a backup if the newest is a day old, or there is none.
    pub fn take_daily_backup(&self) -> Result<Option<String>, StoreError> {
        let is_fresh = self.backups().first().is_some_and(|newest| newest.age < DAY.as_secs());
        if is_fresh { Ok(None) } else { self.take_backup("daily") }
    }

    /// Puts a backup in the place of all that is there, of which one is taken first.
    pub fn restore(&mut self, name: &str) -> Result<(), StoreError> {
        let Some(path) = self.path.clone() else {
            return Err(StoreError::invalid("name", "this shelf lies in memory and has no backups"));
        };
        if !self.backups().iter().any(|one| one.name == name) {
            return Err(StoreError::invalid("name", format!("there is no backup “{name}”")));
        }
        let from = folder_of(&path).join(name);
        // Looked at first: what is no database does no harm then.
        let source = Connection::open_with_flags(&from, rusqlite::OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        let good: String = source
            .query_row("PRAGMA integrity_check", [], |row| row.get(0))
            .map_err(|error| failed(&from, format!("it is no database of Vivida ({error})")))?;
        let version: i64 = source.pragma_query_value(None, "user_version", |row| row.get(0))?;
        if good != "ok" || !(1..=Store::SCHEMA).contains(&version) {
            return Err(failed(&from, "it is damaged, or of another Vivida"));
        }
        self.take_backup("before restoring")?;
        Copying::new(&source, &mut self.connection)?.run_to_completion(1000, Duration::ZERO, None)?;
        drop(source);
        self.bring_up_to_date().map_err(|reason| failed(&from, reason))
    }
}
