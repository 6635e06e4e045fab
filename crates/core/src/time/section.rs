//! Sections: the named stretches of bars that people speak of.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A named stretch of bars. Several may have one name: an aim at it means all of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Section {
    /// Verse, fill …
    pub name: String,
    /// Its first bar, from 1.
    pub from: u32,
    /// Its last bar.
    pub to: u32,
}

impl Section {
    /// The most sections that a song has.
    pub const MOST: usize = 500;

    /// Puts the sections of a song in order; what is wrong with them is named by its path.
    ///
    /// ```
    /// use vivida_core::Section;
    /// let verse = Section { name: "Verse".to_owned(), from: 5, to: 2 };
    /// assert_eq!(Section::checked(vec![verse]).unwrap_err().0, "sections[0].to");
    /// ```
    pub fn checked(mut sections: Vec<Section>) -> Result<Vec<Section>, (String, String)> {
        if sections.len() > Section::MOST {
            let message = format!("{} sections are more than the {} of a song", sections.len(), Section::MOST);
            return Err(("sections".to_owned(), message));
        }
        for (index, section) in sections.iter().enumerate() {
            let at = |field: &str| format!("sections[{index}].{field}");
            if section.name.trim().is_empty() || section.name.chars().count() > 80 {
                return Err((at("name"), "a section has a name of 1 to 80 letters".to_owned()));
            }
            if section.from < 1 {
                return Err((at("from"), "bars count from 1".to_owned()));
            }
            if section.to < section.from {
                return Err((at("to"), format!("bar {} is before bar {}", section.to, section.from)));
            }
        }
        sections.sort_by_key(|section| (section.from, section.to));
        Ok(sections)
    }
}
