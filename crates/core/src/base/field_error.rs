//! What is wrong with something that was read or made, and where.

/// The field that is wrong, by its path, and why.
///
/// ```
/// use vivida_core::FieldError;
/// let error = FieldError::new("passes[2].action.soft", "200 is outside 1 to 127");
/// assert_eq!(error.to_string(), "passes[2].action.soft: 200 is outside 1 to 127");
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{path}: {message}")]
pub struct FieldError {
    /// The path of the field: `passes[2].action.soft`, `instruments[2].articulations[0].note`, `together.17.offset`.
    pub path: String,
    /// What is wrong and what would be right.
    pub message: String,
}

impl FieldError {
    /// Of a field.
    pub fn new(path: impl Into<String>, message: impl Into<String>) -> FieldError {
        FieldError { path: path.into(), message: message.into() }
    }
}
