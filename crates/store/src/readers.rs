//! Reading beside the one that writes: nobody who reads waits for a change that is being made.

use crate::{Reads, StoreError};
use rusqlite::{Connection, OpenFlags};
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tempfile::TempDir;

/// Connections that read. Each sees the database as it stood at one moment, whatever is written meanwhile (SQLite's
/// write-ahead log keeps both).
pub struct Readers {
    path: PathBuf,
    idle: Mutex<Vec<Connection>>,
    /// The folder of a database that is gone when nobody uses it any more.
    temporary: Option<Arc<TempDir>>,
}

/// So many connections wait to be used again.
const KEPT: usize = 8;

impl Readers {
    pub(crate) fn new(path: PathBuf, temporary: Option<Arc<TempDir>>) -> Readers {
        Readers { path, idle: Mutex::default(), temporary }
    }

    /// Where the database lies, if that is for longer than this program runs.
    pub(crate) fn lasting(&self) -> Option<&Path> {
        if self.temporary.is_none() { Some(&self.path) } else { None }
    }

    fn idle(&self) -> std::sync::MutexGuard<'_, Vec<Connection>> {
        self.idle.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn connect(&self) -> rusqlite::Result<Connection> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let connection = Connection::open_with_flags(&self.path, flags)?;
        connection.busy_timeout(Duration::from_secs(5))?;
        Ok(connection)
    }

    /// The database as it stands now.
    ///
    /// # Errors
    ///
    /// Where the database cannot be opened or read.
    pub fn read(self: &Arc<Readers>) -> Result<Reading, StoreError> {
        let idle = self.idle().pop();
        let connection = idle.map_or_else(|| self.connect(), Ok)?;
        connection.execute_batch("BEGIN")?;
        let reading = Reading { connection: Some(connection), readers: Arc::clone(self) };
        // The moment is that of the first question.
        reading.connection().query_row("SELECT count(*) FROM shelf", [], |_| Ok(()))?;
        Ok(reading)
    }
}

impl fmt::Debug for Readers {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Readers").field(&self.path).finish()
    }
}

/// The database as it stood at one moment.
pub struct Reading {
    /// There until it is dropped.
    connection: Option<Connection>,
    readers: Arc<Readers>,
}

impl Reads for Reading {
    fn connection(&self) -> &Connection {
        self.connection.as_ref().expect("a reading has its connection until it is dropped")
    }
}

impl Drop for Reading {
    fn drop(&mut self) {
        let Some(connection) = self.connection.take() else { return };
        let mut idle = self.readers.idle();
        if idle.len() < KEPT && connection.execute_batch("ROLLBACK").is_ok() {
            idle.push(connection);
        }
    }
}
