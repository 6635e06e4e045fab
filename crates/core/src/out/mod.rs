//! What leaves: the notes and channels that a sampler is sent.

pub(crate) mod channels;
pub(crate) mod sent;
