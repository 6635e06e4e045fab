//! Which files of sound are named by anything that is kept.

use crate::{Readers, Reads, StoreError};
use rusqlite::{Connection, OpenFlags};
use std::collections::BTreeSet;
use std::sync::Arc;

/// The length of a SHA-256 in hexadecimal digits, which a file of sound is named by.
const DIGITS: usize = 64;

/// Every hash in a text, whatever field or text within a text it stands in: one too many keeps a file, one too few would
/// lose it.
fn hashes(text: &str) -> impl Iterator<Item = &str> {
    let words = text.split(|letter: char| !letter.is_ascii_hexdigit());
    words.filter(|word| word.len() == DIGITS)
}

/// What a database names, of whichever version it is.
fn named(connection: &Connection, all: &mut BTreeSet<String>) -> Result<(), StoreError> {
    let texts = [
        ("part", "audio", "SELECT audio FROM part WHERE audio IS NOT NULL"),
        ("kit", "kit", "SELECT kit FROM kit WHERE kit LIKE '%sound%'"),
        (
            "step",
            "before",
            "SELECT before || ' ' || after FROM step WHERE before LIKE '%sound%' OR after LIKE '%sound%'",
        ),
    ];
    for (table, column, sql) in texts {
        let there = "SELECT EXISTS (SELECT 1 FROM pragma_table_info(?1) WHERE name = ?2)";
        // A former version may have none of them.
        if !connection.query_row(there, [table, column], |row| row.get::<_, bool>(0))? {
            continue;
        }
        let mut query = connection.prepare(sql)?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            all.extend(hashes(row.get_ref(0)?.as_str().unwrap_or_default()).map(str::to_owned));
        }
    }
    Ok(())
}

impl Readers {
    /// The files of sound, by their hashes, that anything leads to: parts, kits, all histories, and all backups.
    ///
    /// # Errors
    ///
    /// Where one of the databases cannot be read. Nobody knows then what it names.
    pub fn sounds_named(self: &Arc<Readers>) -> Result<BTreeSet<String>, StoreError> {
        let mut all = BTreeSet::new();
        named(self.read()?.connection(), &mut all)?;
        for path in self.backup_files() {
            let backup = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
            named(&backup, &mut all)?;
        }
        Ok(all)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hashes_are_found_in_texts_within_texts() {
        let hash = "0123456789abcdef".repeat(4);
        let text = format!(r#"[{{"audio":"{{\"sound\":\"{hash}\",\"name\":\"abc\"}}"}}, "{hash}0"]"#);
        assert_eq!(hashes(&text).collect::<Vec<_>>(), [hash.as_str()]);
    }
}
