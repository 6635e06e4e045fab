//! Opening the database: one program at a time, nothing of another program touched, every former version brought over,
//! what hangs loose put right.

use crate::backups::{self, BackupKind};
use crate::history::fill_touched;
use crate::readers::Readers;
use crate::{Store, StoreError, Unopened};
use rusqlite::{Connection, ErrorCode, OpenFlags};
use rusqlite_migration::{M, Migrations};
use std::collections::BTreeSet;
use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::time::Duration;

/// Marks a database file as Vivida's: "VIVD".
const APPLICATION: i64 = 0x5649_5644;

impl Store {
    /// Opens the database file, made anew where there is none, and brings it to this version.
    ///
    /// # Errors
    ///
    /// Where another program has it open, or the file is none of ours, of a newer version, or cannot be written. Then
    /// it is as it was.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let failed = |why: Unopened| StoreError::Open { path: path.to_owned(), why };
        let path = &real_path(path).map_err(failed)?;
        let lock = lock(path)?;
        look_first(path).map_err(failed)?;
        let connection = Connection::open(path).map_err(|error| failed(error.into()))?;
        backups::sweep(path);
        let readers = Arc::new(Readers::new(path.clone(), None));
        Store::prepare(Store { connection, readers, lock: Some(lock), path: Some(path.clone()) }).map_err(failed)
    }

    /// The folder that the database lies in; nothing where it is temporary.
    pub fn folder(&self) -> Option<&Path> {
        self.path.as_deref().and_then(Path::parent)
    }

    /// A database that is gone when it is dropped.
    pub fn temporary() -> Result<Store, StoreError> {
        let failed = |why: Unopened| StoreError::Open { path: "a temporary database".into(), why };
        let folder = Arc::new(tempfile::tempdir().map_err(|error| failed((&error).into()))?);
        let path = folder.path().join("vivida.sqlite");
        let connection = Connection::open(&path)?;
        let readers = Arc::new(Readers::new(path, Some(folder)));
        let store = Store::prepare(Store { connection, readers, lock: None, path: None }).map_err(failed)?;
        store.connection.pragma_update(None, "synchronous", "OFF")?;
        Ok(store)
    }

    /// Tells a second program where this one is to be found.
    pub fn say_address(&mut self, address: &str) {
        if let Some(file) = &mut self.lock {
            // Who cannot read it is told without an address.
            let _ = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(address.as_bytes()));
        }
    }

    fn prepare(mut store: Store) -> Result<Store, Unopened> {
        let connection = &store.connection;
        connection.busy_timeout(Duration::from_secs(5))?;
        let kept: i64 = connection.pragma_query_value(None, "auto_vacuum", |row| row.get(0))?;
        connection.pragma_update(None, "auto_vacuum", "INCREMENTAL")?;
        connection.pragma_update(None, "journal_mode", "WAL")?;
        connection.pragma_update(None, "journal_size_limit", 16 << 20)?;
        connection.pragma_update(None, "synchronous", "FULL")?;
        connection.pragma_update(None, "foreign_keys", "ON")?;
        if kept != 2 {
            // A database of before gives space back from now on.
            connection.execute_batch("VACUUM")?;
        }
        let version: i64 = connection.pragma_query_value(None, "user_version", |row| row.get(0))?;
        if let Some(path) = store.path.as_deref().filter(|_| (1..SCHEMA).contains(&version)) {
            // What a newer Vivida makes of it can be taken back.
            let taken = backups::take(&store.connection, path, BackupKind::BeforeUpgrade);
            taken.map_err(|error| Unopened::Failed(error.to_string()))?;
        }
        bring_up_to_date(&mut store.connection)?;
        Ok(store)
    }
}

/// What each version of the schema changed.
const SCHEMAS: [&str; 11] = [
    include_str!("schema.sql"),
    include_str!("schema-2.sql"),
    include_str!("schema-3.sql"),
    include_str!("schema-4.sql"),
    include_str!("schema-5.sql"),
    include_str!("schema-6.sql"),
    include_str!("schema-7.sql"),
    include_str!("schema-8.sql"),
    include_str!("schema-9.sql"),
    include_str!("schema-10.sql"),
    include_str!("schema-11.sql"),
];

/// The version of the schema.
const SCHEMA: i64 = SCHEMAS.len() as i64;

/// Brings a former version of the database over, and puts right what hangs loose in it.
pub(crate) fn bring_up_to_date(connection: &mut Connection) -> Result<(), Unopened> {
    /// The schema that began to tell what each step touches: those of before are read once.
    const TOUCHED: usize = 4;
    let up = |(place, schema): (usize, &'static str)| match place + 1 {
        TOUCHED => M::up_with_hook(schema, |transaction| Ok(fill_touched(transaction)?)),
        _ => M::up(schema),
    };
    let migrations = Migrations::new(SCHEMAS.into_iter().enumerate().map(up).collect());
    migrations.to_latest(connection).map_err(|error| match error {
        rusqlite_migration::Error::RusqliteError { err, .. } => err.into(),
        other => Unopened::Failed(other.to_string()),
    })?;
    if connection.pragma_query_value(None, "application_id", |row| row.get::<_, i64>(0))? != APPLICATION {
        connection.pragma_update(None, "application_id", APPLICATION)?;
    }
    put_right(connection)?;
    crate::grooves::lay_in(connection, &vivida_core::GrooveProfile::own())?;
    Ok(crate::kits::lay_in(connection, &vivida_core::Kit::own())?)
}

/// A part always has a take, and one of its own is worked on.
fn put_right(connection: &Connection) -> rusqlite::Result<()> {
    let live = "SELECT min(id) FROM take WHERE take.part = part.id AND take.deleted = 0";
    connection.execute_batch(&format!(
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

/// Looks at a file before anything of it is changed: what is none of ours stays as it is.
fn look_first(path: &Path) -> Result<(), Unopened> {
    match fs::metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(error) => return Err((&error).into()),
        Ok(found) if found.is_dir() => return Err(Unopened::NotOurs("it is a folder".to_owned())),
        // A program that was killed when it had only just made it.
        Ok(found) if found.len() == 0 => return Ok(()),
        Ok(found) => refuse_second_name(&found)?,
    }
    OpenOptions::new().read(true).write(true).open(path).map_err(|error| Unopened::from(&error))?;
    let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    connection.busy_timeout(Duration::from_secs(5))?;
    look_at(&connection).map(|_| ())
}

/// Whose database it is, of which version: that of its schema. Refused is what Vivida did not make.
pub(crate) fn look_at(connection: &Connection) -> Result<i64, Unopened> {
    let number = |pragma: &str| connection.pragma_query_value(None, pragma, |row| row.get::<_, i64>(0));
    let (application, version) = (number("application_id")?, number("user_version")?);
    if application != APPLICATION && application != 0 {
        return Err(Unopened::NotOurs("it is marked as another program's".to_owned()));
    }
    if version > SCHEMA {
        return Err(Unopened::Newer { found: version, known: SCHEMA });
    }
    for (kind, name, _) in objects(connection)? {
        if version < 1 || !matches!(kind.as_str(), "table" | "index") {
            return Err(Unopened::NotOurs(format!("it holds the {kind} “{name}”, which Vivida does not make")));
        }
    }
    Ok(version)
}

/// What a schema holds: the kind and name of each thing, and the columns of a table.
type Objects = BTreeSet<(String, String, String)>;

fn objects(connection: &Connection) -> rusqlite::Result<Objects> {
    let sql = "SELECT type, name, (SELECT ifnull(group_concat(one, ', '), '') FROM
                   (SELECT name || ' ' || type AS one FROM pragma_table_info(sqlite_schema.name) ORDER BY name))
               FROM sqlite_schema WHERE name NOT LIKE 'sqlite\\_%' ESCAPE '\\'";
    let mut query = connection.prepare(sql)?;
    query.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect()
}

/// Refuses a database of this version whose tables are not those that this version makes.
pub(crate) fn check_schema(connection: &Connection) -> Result<(), Unopened> {
    static WANTED: OnceLock<Objects> = OnceLock::new();
    let fresh = || -> Result<Objects, Unopened> {
        let mut fresh = Connection::open_in_memory()?;
        bring_up_to_date(&mut fresh)?;
        Ok(objects(&fresh)?)
    };
    let wanted = match WANTED.get() {
        Some(wanted) => wanted,
        None => WANTED.get_or_init(|| fresh().unwrap_or_default()),
    };
    match wanted.symmetric_difference(&objects(connection)?).next() {
        None => Ok(()),
        Some((kind, name, _)) => Err(Unopened::NotOurs(format!("its {kind} “{name}” is not as Vivida makes it"))),
    }
}

/// Where a database lies: links lead to one file, whose log and lock lie beside it.
fn real_path(path: &Path) -> Result<PathBuf, Unopened> {
    /// Links that lead to one another end somewhere.
    const MOST_LINKS: usize = 40;
    let mut path = path.to_owned();
    for _ in 0..MOST_LINKS {
        // Also one that leads to where nothing is yet.
        let Ok(to) = fs::read_link(&path) else {
            return match fs::canonicalize(&path) {
                Ok(real) => Ok(real),
                Err(_) => Ok(path),
            };
        };
        path = path.parent().unwrap_or(Path::new("")).join(to);
    }
    Err(Unopened::Failed("it is a link that leads to itself".to_owned()))
}

/// Under each of its names a file would have a log of its own, and what is in one of them would be lost.
#[cfg(unix)]
fn refuse_second_name(found: &fs::Metadata) -> Result<(), Unopened> {
    if std::os::unix::fs::MetadataExt::nlink(found) > 1 {
        let why = "it has several names (hard links), under which SQLite cannot keep it whole; keep one of them";
        return Err(Unopened::Failed(why.to_owned()));
    }
    Ok(())
}

#[cfg(not(unix))]
fn refuse_second_name(_: &fs::Metadata) -> Result<(), Unopened> {
    Ok(())
}

impl From<&io::Error> for Unopened {
    fn from(error: &io::Error) -> Unopened {
        match error.kind() {
            io::ErrorKind::PermissionDenied | io::ErrorKind::ReadOnlyFilesystem => Unopened::ReadOnly,
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Unopened::Full,
            _ => Unopened::Failed(error.to_string()),
        }
    }
}

impl From<rusqlite::Error> for Unopened {
    fn from(error: rusqlite::Error) -> Unopened {
        match error.sqlite_error_code() {
            Some(ErrorCode::ReadOnly | ErrorCode::CannotOpen | ErrorCode::PermissionDenied) => Unopened::ReadOnly,
            Some(ErrorCode::DiskFull) => Unopened::Full,
            Some(ErrorCode::NotADatabase) => Unopened::NotOurs("it is no SQLite database".to_owned()),
            Some(ErrorCode::DatabaseCorrupt) => Unopened::Failed("it is damaged; restore a backup of it".to_owned()),
            _ => Unopened::Failed(error.to_string()),
        }
    }
}

/// A lock on a file beside the database, which goes with the program, however that ends. It holds the address
/// of who has it.
fn lock(path: &Path) -> Result<File, StoreError> {
    let failed = |error: io::Error| StoreError::Open { path: path.to_owned(), why: (&error).into() };
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
