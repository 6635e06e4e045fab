//! What plays and records in time. Each goes alone ([`vivida_e2e::start_alone`]): beside one another they would wait
//! for the other workers once, not each.

mod heard;
mod lanes;
mod loops;
pub(crate) mod recording;
