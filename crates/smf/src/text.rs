//! Texts in files: of any encoding, for people to read.

/// A name as it can be shown: UTF-8, else Latin-1; without control characters; at most 200
/// letters, an ellipsis where it was longer.
///
/// ```
/// use vivida_smf::readable;
/// assert_eq!(readable(b"Kit\x07 \xe9t\xe9\0"), "Kit été");
/// ```
pub fn readable(bytes: &[u8]) -> String {
    let text = match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        Err(_) => bytes.iter().map(|&byte| char::from(byte)).collect(),
    };
    let shown: String = text.chars().filter(|letter| !letter.is_control() && !is_direction_mark(*letter)).collect();
    let shown = shown.trim();
    if shown.chars().count() <= 200 {
        return shown.to_owned();
    }
    shown.chars().take(199).chain(['…']).collect()
}

/// Marks that turn the direction of the text around them.
fn is_direction_mark(letter: char) -> bool {
    matches!(letter, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
}
