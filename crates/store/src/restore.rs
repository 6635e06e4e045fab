//! Putting a backup in the place of all that is there.
//!
//! A backup is a file that anybody may have put there: it is copied, looked at, brought to this version and read as a
//! copy, and only then takes the place, in one transaction. Revisions and ids go on from the highest that were given out
//! before, so that a page that was left open cannot take what is there then for what it knew.

use crate::backups::{self, BackupKind, folder_of};
use crate::open::{bring_up_to_date, check_schema, look_at};
use crate::{Reads, Store, StoreError, Unopened};
use rusqlite::backup::Backup as Copying;
use rusqlite::{Connection, OpenFlags, params};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Where a backup is looked at before it takes the place.
pub(crate) fn workplace(path: &Path) -> PathBuf {
    path.with_file_name("restoring.sqlite")
}

/// The highest revision that was ever given out.
fn highest_revision(connection: &Connection) -> rusqlite::Result<i64> {
    let sql = "SELECT max(revision) FROM (
                   SELECT max(floor, highest) AS revision FROM shelf
                   UNION ALL SELECT max(revision, stamp) FROM song
                   UNION ALL SELECT revision FROM part
                   UNION ALL SELECT written FROM take
                   UNION ALL SELECT revision FROM recipe
                   UNION ALL SELECT revision FROM groove
                   UNION ALL SELECT revision FROM kit
                   UNION ALL SELECT revision FROM pocket
                   UNION ALL SELECT revision FROM setting)";
    connection.query_row(sql, [], |row| row.get(0))
}

/// A copy that can be read by this version.
struct Readable(Connection);

impl Reads for Readable {
    fn connection(&self) -> &Connection {
        &self.0
    }
}

/// Copies a backup to its workplace, checks it and brings it to this version.
fn readable(from: &Path, workplace: &Path) -> Result<Readable, StoreError> {
    let source = Connection::open_with_flags(from, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    let name = from.file_name().unwrap_or_default().to_string_lossy();
    let wrong = |reason: String| StoreError::invalid("name", format!("“{name}” cannot be restored: {reason}"));
    let version = look_at(&source).map_err(|why| wrong(why.to_string()))?;
    if version < 1 {
        return Err(wrong("it is no backup of Vivida".to_owned()));
    }
    backups::copy(&source, workplace, None)?;
    drop(source);
    let mut copy = Connection::open(workplace)?;
    // Nothing that stands in a schema is called.
    copy.pragma_update(None, "trusted_schema", "OFF")?;
    let good: String = copy.query_row("PRAGMA integrity_check", [], |row| row.get(0))?;
    if good != "ok" {
        return Err(wrong(format!("it is damaged ({good})")));
    }
    copy.pragma_update(None, "foreign_keys", "ON")?;
    bring_up_to_date(&mut copy).map_err(|why| match why {
        Unopened::Full => StoreError::Full,
        _ => wrong("its tables are not those that Vivida makes".to_owned()),
    })?;
    check_schema(&copy).map_err(|why| wrong(why.to_string()))?;
    let copy = Readable(copy);
    read_all(&copy).map_err(|error| wrong(error.to_string()))?;
    Ok(copy)
}

/// Reads what every screen begins with.
fn read_all(reads: &impl Reads) -> Result<(), StoreError> {
    for song in reads.songs()? {
        reads.file(song.file)?;
        reads.pockets(song.id)?;
        reads.history(Some(song.id))?;
    }
    reads.recipes()?;
    reads.grooves()?;
    reads.kits()?;
    reads.batches()?;
    reads.history(None)?;
    Ok(())
}

/// Lets revisions, ids and the numbers of backups of a copy go on behind those of the database whose place it takes.
fn go_on_behind(former: &Connection, copy: &Connection) -> rusqlite::Result<()> {
    let floor = highest_revision(former)?.max(highest_revision(copy)?);
    let backups: i64 = former.query_row("SELECT backups FROM shelf", [], |row| row.get(0))?;
    copy.execute("UPDATE shelf SET floor = ?1, backups = max(backups, ?2), kind = NULL", [floor, backups])?;
    let mut query = former.prepare("SELECT name, seq FROM sqlite_sequence")?;
    let sequences = query.query_map([], |row| Ok((row.get::<_, String>(0)?, row.get::<_, i64>(1)?)))?;
    for sequence in sequences {
        let (name, last) = sequence?;
        if copy.execute("UPDATE sqlite_sequence SET seq = max(seq, ?2) WHERE name = ?1", params![name, last])? == 0 {
            copy.execute("INSERT INTO sqlite_sequence (name, seq) VALUES (?1, ?2)", params![name, last])?;
        }
    }
    Ok(())
}

impl Store {
    /// Puts a backup in the place of all that is there, of which one is taken first.
    ///
    /// # Errors
    ///
    /// Where there is no such backup, or it is not one that this version can read. All is as it was then.
    pub fn restore(&mut self, name: &str) -> Result<(), StoreError> {
        let Some(path) = self.path.clone() else {
            return Err(StoreError::invalid("name", "this shelf is temporary and has no backups"));
        };
        if !self.backups().iter().any(|one| one.name == name) {
            return Err(StoreError::invalid("name", format!("there is no backup “{name}”")));
        }
        let workplace = workplace(&path);
        backups::remove(&workplace);
        let restored = self.restore_from(&folder_of(&path).join(name), &workplace);
        backups::remove(&workplace);
        restored
    }

    fn restore_from(&mut self, from: &Path, workplace: &Path) -> Result<(), StoreError> {
        let copy = readable(from, workplace)?.0;
        let former = self.take_backup(BackupKind::BeforeRestoring)?;
        go_on_behind(&self.connection, &copy)?;
        let put = |store: &mut Store, source: &Connection| -> Result<(), StoreError> {
            Copying::new(source, &mut store.connection)?.run_to_completion(1000, Duration::ZERO, None)?;
            read_all(store)
        };
        put(self, &copy).inspect_err(|_| {
            // What does not serve gives the place back.
            let former = former.as_ref().map(|name| from.with_file_name(name));
            let source = former.and_then(|path| Connection::open(path).ok());
            if let Some(source) = source {
                let _ = Copying::new(&source, &mut self.connection)
                    .and_then(|copying| copying.run_to_completion(1000, Duration::ZERO, None));
            }
        })
    }
}
