//! What a person does to a part by hand, in the rows, among bars, with a newer file.

pub(crate) mod bars;
pub(crate) mod drawing;
pub(crate) mod gesture;
pub(crate) mod take;
pub(crate) mod versions;
