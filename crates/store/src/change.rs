//! The one way to change anything.

use crate::batches::{self, BatchId};
use crate::history::{Origin, Scope};
use crate::songs::SongId;
use crate::state::State;
use crate::{Store, StoreError};
use rusqlite::{Transaction, TransactionBehavior};
use std::mem;

/// A change that is being made: all that is read in it and written in it is one transaction, and all that it
/// does is one step of one history.
pub struct Change<'a> {
    pub(crate) transaction: Transaction<'a>,
    step: Option<(Scope, String)>,
    before: Vec<State>,
    after: Vec<State>,
    /// The batch that the step is of, and the song of it.
    pub(crate) batch: Option<(BatchId, SongId)>,
    key: Option<String>,
}

/// Counts a change of a song, or of anything of it.
const NEXT_STAMP: &str = "stamp = max(stamp, (SELECT floor FROM shelf)) + 1";

impl Store {
    /// Makes a change and writes its step, both or neither: where `make` answers an error, nothing was changed.
    /// What had been undone in its history can then no longer be done again.
    ///
    /// # Errors
    ///
    /// What `make` answers, or where the database fails.
    pub fn change<T, E: From<StoreError>>(
        &mut self,
        make: impl FnOnce(&mut Change<'_>) -> Result<T, E>,
    ) -> Result<T, E> {
        let transaction =
            self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(StoreError::from)?;
        let mut change =
            Change { transaction, step: None, before: Vec::new(), after: Vec::new(), batch: None, key: None };
        let value = make(&mut change)?;
        change.finish()?;
        // What was kept is kept; a file that stays large for now is no failure.
        let _ = self.shrink();
        Ok(value)
    }

    /// Lets the file be shorter where a good deal of it is empty.
    fn shrink(&self) -> rusqlite::Result<()> {
        const MANY_PAGES: i64 = 256;
        if self.connection.pragma_query_value(None, "freelist_count", |row| row.get::<_, i64>(0))? < MANY_PAGES {
            return Ok(());
        }
        let mut give_back = self.connection.prepare("PRAGMA incremental_vacuum")?;
        // A page for each row.
        let mut pages = give_back.query([])?;
        while pages.next()?.is_some() {}
        Ok(())
    }
}

impl Change<'_> {
    /// Whose step it is, and what undo calls it. What was said first stays.
    pub fn step(&mut self, scope: Scope, label: impl Into<String>) {
        self.step.get_or_insert_with(|| (scope, label.into()));
    }

    /// What whoever asked for the change calls it: see [`has_step`](crate::Reads::has_step).
    pub fn keyed(&mut self, key: &str) {
        self.key = Some(key.to_owned());
    }

    /// Calls the step something else than the changes that it is made of would.
    pub fn label(&mut self, label: impl Into<String>) {
        if let Some((_, called)) = &mut self.step {
            *called = label.into();
        }
    }

    /// Makes one thing be as `after` says, which was as `before` says.
    pub(crate) fn put(&mut self, before: State, after: State) -> Result<(), StoreError> {
        if before == after {
            return Ok(());
        }
        after.check(&before)?;
        after.apply(&self.transaction)?;
        // What is changed twice in one step goes from what it was first to what it is last.
        let is_same = |one: &State| mem::discriminant(one) == mem::discriminant(&after) && one.key() == after.key();
        match self.after.iter().position(is_same) {
            Some(place) => self.after[place] = after,
            None => {
                self.before.push(before);
                self.after.push(after);
            }
        }
        Ok(())
    }

    fn finish(self) -> Result<(), StoreError> {
        let Change { transaction, step, before, after, batch, key } = self;
        // What was changed and changed back is no change.
        let pairs = before.into_iter().zip(after).filter(|(before, after)| before != after);
        let (before, after): (Vec<State>, Vec<State>) = pairs.unzip();
        if let Some(batch) = batch.filter(|_| before.is_empty()) {
            batches::unchanged(&transaction, batch)?;
        }
        if let (Some((scope, label)), false) = (step, before.is_empty()) {
            let origin = Origin { batch: batch.map(|(batch, _)| batch), key };
            scope.write_step(&transaction, &label, &before, &after, &origin)?;
            forget_cards(&transaction, scope, &after)?;
        }
        transaction.commit()?;
        Ok(())
    }

    /// Let something hold for every song. No step.
    pub fn set_setting(&mut self, name: &str, value: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO setting (name, value, revision) VALUES (?1, ?2, (SELECT floor FROM shelf) + 1)
                   ON CONFLICT DO UPDATE SET value = ?2, revision = max(revision, (SELECT floor FROM shelf)) + 1";
        self.transaction.execute(sql, [name, value])?;
        self.transaction.execute(&format!("UPDATE song SET {NEXT_STAMP}"), [])?;
        self.transaction.execute("DELETE FROM card", [])?;
        Ok(())
    }

    /// Remember how a screen was left. No step.
    pub fn set_view(&mut self, name: &str, value: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO view (name, value) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET value = ?2";
        self.transaction.execute(sql, [name, value])?;
        Ok(())
    }
}

/// What the shelf shows of the songs that a step changed has to be worked out anew.
pub(crate) fn forget_cards(transaction: &Transaction<'_>, scope: Scope, states: &[State]) -> rusqlite::Result<()> {
    let mut songs: Vec<i64> = scope.song().into_iter().map(|id| id.0).collect();
    for state in states {
        match state {
            State::Song { id, .. } => songs.push(id.0),
            State::Kit { id, .. } => {
                let mut with_kit = transaction.prepare_cached("SELECT DISTINCT song FROM part WHERE kit = ?1")?;
                for song in with_kit.query_map([id.0], |row| row.get(0))? {
                    songs.push(song?);
                }
            }
            _ => {}
        }
    }
    for song in songs {
        transaction.execute(&format!("UPDATE song SET {NEXT_STAMP} WHERE id = ?1"), [song])?;
        transaction.execute("DELETE FROM card WHERE song = ?1", [song])?;
    }
    Ok(())
}
