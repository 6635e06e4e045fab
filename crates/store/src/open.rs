//! Opening the database: one program at a time, every former version brought over, what hangs loose put right.

use crate::backups;
use crate::history::fill_touched;
use crate::{Store, StoreError};
use rusqlite::Connection;
use rusqlite_migration::{M, Migrations};
use std::fs::{File, OpenOptions, TryLockError};
use std::io::{Read, Seek, Write};
use std::path::Path;
use std::time::Duration;

impl Store {
    /// Opens the database file, made anew where there is none, and brings it to this version.
    ///
    /// # Errors
    ///
    /// Where another program has it open, or the file is none of ours, of a newer version, or cannot be written.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let failed = |reason: String| StoreError::Open { path: path.to_owned(), reason };
        let lock = lock(path)?;
        let connection = Connection::open(path).map_err(|error| failed(error.to_string()))?;
        Store::prepare(connection, Some(lock), Some(path)).map_err(failed)
    }

    /// The folder that the database lies in; nothing where it is in memory.
    pub fn folder(&self) -> Option<&Path> {
        self.path.as_deref().and_then(Path::parent)
    }

    /// A database that is gone when it is dropped.
    pub fn in_memory() -> Result<Store, StoreError> {
        let failed = |reason: String| StoreError::Open { path: ":memory:".into(), reason };
        Store::prepare(Connection::open_in_memory()?, None, None).map_err(failed)
    }

    /// Tells a second program where this one is to be found.
    pub fn say_address(&mut self, address: &str) {
        if let Some(file) = &mut self.lock {
            // Who cannot read it is told without an address.
            let _ = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(address.as_bytes()));
        }
    }

    fn prepare(connection: Connection, lock: Option<File>, path: Option<&Path>) -> Result<Store, String> {
        let set_up = |connection: &Connection| -> rusqlite::Result<()> {
            connection.busy_timeout(Duration::from_secs(5))?;
            // Read first: a file of another kind is left as it is.
            let kept: i64 = connection.pragma_query_value(None, "auto_vacuum", |row| row.get(0))?;
            connection.pragma_update(None, "auto_vacuum", "INCREMENTAL")?;
            connection.pragma_update(None, "journal_mode", "WAL")?;
            connection.pragma_update(None, "journal_size_limit", 16 << 20)?;
            connection.pragma_update(None, "synchronous", "FULL")?;
            connection.pragma_update(None, "foreign_keys", "ON")?;
            // A database of before gives space back from now on.
            if kept != 2 { connection.execute_batch("VACUUM") } else { Ok(()) }
        };
        set_up(&connection).map_err(|error| error.to_string())?;
        let version: i64 =
            connection.pragma_query_value(None, "user_version", |row| row.get(0)).map_err(|error| error.to_string())?;
        if let Some(path) = path.filter(|_| (1..Store::SCHEMA).contains(&version)) {
            // What a newer Vivida makes of it can be taken back.
            backups::take(&connection, path, "before an upgrade").map_err(|error| error.to_string())?;
        }
        let mut store = Store { connection, lock, path: path.map(Path::to_owned) };
        store.bring_up_to_date()?;
        Ok(store)
    }

    /// The version of the schema.
    pub(crate) const SCHEMA: i64 = 8;

    /// Brings a former version of the database over, and puts right what hangs loose in it.
    pub(crate) fn bring_up_to_date(&mut self) -> Result<(), String> {
        let migrations = Migrations::new(vec![
            M::up(include_str!("schema.sql")),
            M::up(include_str!("schema-2.sql")),
            M::up(include_str!("schema-3.sql")),
            M::up_with_hook(include_str!("schema-4.sql"), |transaction| Ok(fill_touched(transaction)?)),
            M::up(include_str!("schema-5.sql")),
            M::up(include_str!("schema-6.sql")),
            M::up(include_str!("schema-7.sql")),
            M::up(include_str!("schema-8.sql")),
        ]);
        migrations.to_latest(&mut self.connection).map_err(|error| error.to_string())?;
        self.put_right().map_err(|error| error.to_string())?;
        self.lay_in_grooves(&vivida_core::GrooveProfile::own()).map_err(|error| error.to_string())?;
        self.lay_in_kits(&vivida_core::Kit::own()).map_err(|error| error.to_string())
    }

    /// A part always has a take, and one of its own is worked on.
    fn put_right(&mut self) -> rusqlite::Result<()> {
        let live = "SELECT min(id) FROM take WHERE take.part = part.id AND take.deleted = 0";
        self.connection.execute_batch(&format!(
            "BEGIN;
             INSERT INTO take (part, name) SELECT id, 'As it came' FROM part WHERE ({live}) IS NULL;
             UPDATE part SET take = ({live}) WHERE take IS NULL
                OR NOT EXISTS (SELECT 1 FROM take WHERE take.id = part.take AND take.part = part.id AND take.deleted = 0);
             UPDATE batch_song SET state = 'left' WHERE state = 'waiting'
                AND batch IN (SELECT id FROM batch WHERE state = 'running');
             UPDATE batch SET state = 'interrupted' WHERE state = 'running';
             COMMIT;"
        ))
    }
}

/// A lock on a file beside the database, which goes with the program, however that ends. It holds the address
/// of who has it.
fn lock(path: &Path) -> Result<File, StoreError> {
    let failed = |error: std::io::Error| StoreError::Open { path: path.to_owned(), reason: error.to_string() };
    let beside = path.with_extension("lock");
    let mut file =
        OpenOptions::new().create(true).truncate(false).read(true).write(true).open(&beside).map_err(failed)?;
    match file.try_lock() {
        Ok(()) => {
            file.set_len(0).map_err(failed)?;
            Ok(file)
        }
        Err(TryLockError::WouldBlock) => {
            let mut address = String::new();
            let _ = file.read_to_string(&mut address);
            let folder = path.parent().unwrap_or(path).to_owned();
            Err(StoreError::InUse { folder, address: Some(address).filter(|text| !text.is_empty()) })
        }
        Err(TryLockError::Error(error)) => Err(failed(error)),
    }
}
