//! Tables as CSV, for spreadsheets and scripts: the one writer of all of them.

use std::borrow::Cow;
use std::io::{self, Write};

/// A table that is being written as CSV (RFC 4180).
///
/// A name that a spreadsheet would take for a formula gets an apostrophe in front, whatever table it stands in; numbers
/// stay numbers.
///
/// ```
/// let mut table = vivida_server::Table::new(Vec::new());
/// table.row(["=1+1", "-3.5", "Snare"])?;
/// assert_eq!(table.done()?, b"'=1+1,-3.5,Snare\n");
/// # Ok::<(), std::io::Error>(())
/// ```
pub struct Table<W: Write>(csv::Writer<W>);

impl<W: Write> Table<W> {
    /// An empty one.
    pub fn new(out: W) -> Table<W> {
        Table(csv::Writer::from_writer(out))
    }

    /// The next row.
    ///
    /// # Errors
    ///
    /// Where it cannot be written, or has more or fewer cells than the row before.
    pub fn row<T: AsRef<str>>(&mut self, cells: impl IntoIterator<Item = T>) -> io::Result<()> {
        for cell in cells {
            self.0.write_field(harmless(cell.as_ref()).as_bytes()).map_err(io::Error::other)?;
        }
        self.0.write_record(None::<&[u8]>).map_err(io::Error::other)
    }

    /// What it was written to.
    ///
    /// # Errors
    ///
    /// Where the last of it cannot be written.
    pub fn done(self) -> io::Result<W> {
        self.0.into_inner().map_err(|error| error.into_error())
    }
}

fn harmless(cell: &str) -> Cow<'_, str> {
    let is_formula = cell.trim_start().starts_with(['=', '+', '-', '@']) || cell.starts_with(['\t', '\r', '\n']);
    if is_formula && cell.parse::<f64>().is_err() { Cow::Owned(format!("'{cell}")) } else { Cow::Borrowed(cell) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_texts_and_numbers_are_numbers() {
        for formula in ["=1+1", "+1+1", "-1+1", "@SUM(A1)", " =1", "\t=1", "\r=1", "-", "+cmd|' /C calc'!A0"] {
            assert_eq!(harmless(formula), format!("'{formula}"));
        }
        for plain in ["-3.5", "+4", "1e-3", "Snare", "", "a=b", "3 - 4"] {
            assert_eq!(harmless(plain), plain);
        }
    }
}
