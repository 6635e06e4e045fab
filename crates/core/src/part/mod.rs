//! Parts as they came in, their hits and lanes, and what is read of them before any pass.

pub(crate) mod graces;
pub(crate) mod hit;
pub(crate) mod lane;
pub(crate) mod slicing;
