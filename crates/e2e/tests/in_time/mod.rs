//! What plays and records in time ([`vivida_e2e::start_in_time`]): mostly it waits, so three go at once.

mod heard;
mod lanes;
mod loops;
pub(crate) mod recording;
