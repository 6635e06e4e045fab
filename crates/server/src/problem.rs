//! Errors at the HTTP edge: RFC 9457 problem details.

use rocket::http::{ContentType, Status};
use rocket::request::Request;
use rocket::response::{Responder, Response};
use rocket::{Catcher, catch, catchers};
use serde::Serialize;
use std::io::Cursor;
use ts_rs::TS;
use vivida_core::FieldError;
use vivida_smf::ReadError;
use vivida_store::StoreError;

use crate::api::{PartState, SongPockets};

/// What went wrong, for people and for programs.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Problem {
    /// The HTTP status.
    pub status: u16,
    /// What kind of problem, in a few words.
    pub title: &'static str,
    /// What happened and what to do.
    pub detail: String,
    /// The path of the field that is wrong.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub field: Option<String>,
    /// The name of the file that is wrong.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub file: Option<String>,
    /// Where in the file, in bytes.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub offset: Option<u32>,
    /// The newer state, where a change came too late.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub current: Option<Box<PartState>>,
    /// The same, where it was a pocket's.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub pockets: Option<Box<SongPockets>>,
}

impl Problem {
    pub(crate) fn new(status: Status, title: &'static str, detail: impl Into<String>) -> Problem {
        Problem {
            status: status.code,
            title,
            detail: detail.into(),
            field: None,
            file: None,
            offset: None,
            current: None,
            pockets: None,
        }
    }

    /// There is no room for what was to be kept.
    pub(crate) fn full() -> Problem {
        let detail = "The disk is full: nothing was changed. Make room, and do it again.";
        Problem::new(Status::InsufficientStorage, "The disk is full", detail)
    }

    pub(crate) fn field(field: impl Into<String>, detail: impl Into<String>) -> Problem {
        let field = Some(field.into());
        Problem { field, ..Problem::new(Status::UnprocessableEntity, "A field is wrong", detail) }
    }

    pub(crate) fn of_file(file: &str, error: &ReadError) -> Problem {
        let detail = format!("“{file}”: {error}.");
        let problem = Problem::new(Status::UnprocessableEntity, "The file cannot be read", detail);
        Problem {
            file: Some(file.to_owned()),
            offset: error.offset().and_then(|offset| u32::try_from(offset).ok()),
            ..problem
        }
    }

    pub(crate) fn of_recipe(prefix: &str, error: &FieldError) -> Problem {
        let path = match (prefix, error.path.as_str()) {
            (prefix, ".") => prefix.to_owned(),
            ("", path) => path.to_owned(),
            (prefix, path) => format!("{prefix}.{path}"),
        };
        Problem::field(path, error.message.clone())
    }
}

impl Problem {
    /// Something that is kept cannot be read.
    pub(crate) fn damaged(what: &str, reason: &str) -> Problem {
        let detail = format!("{what} is damaged and cannot be used: {reason}. Undo, replace or delete it.");
        Problem::new(Status::UnprocessableEntity, "Damaged", detail)
    }

    /// A change came too late.
    pub(crate) fn is_conflict(&self) -> bool {
        self.status == Status::Conflict.code
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Problem {
        let detail = error.to_string();
        if error.is_full() {
            return Problem::full();
        }
        match error {
            StoreError::NotFound { .. } => Problem::new(Status::NotFound, "Not there", detail),
            StoreError::Conflict { .. } => Problem::new(Status::Conflict, "Changed elsewhere", detail),
            StoreError::Invalid { field, message } => Problem::field(field, message),
            StoreError::Backup { .. } => Problem::new(Status::UnprocessableEntity, "No backup", detail),
            StoreError::Damaged { what, reason } => Problem::damaged(&what, &reason),
            StoreError::Open { .. } | StoreError::InUse { .. } | StoreError::Full | StoreError::Database(_) => {
                Problem::new(Status::InternalServerError, "The database failed", detail)
            }
        }
    }
}

impl<'r> Responder<'r, 'static> for Problem {
    fn respond_to(self, _request: &'r Request<'_>) -> rocket::response::Result<'static> {
        let body = serde_json::to_vec(&self).map_err(|_| Status::InternalServerError)?;
        Response::build()
            .status(Status::new(self.status))
            .header(ContentType::new("application", "problem+json"))
            .sized_body(body.len(), Cursor::new(body))
            .ok()
    }
}

#[catch(default)]
fn other(status: Status, request: &Request<'_>) -> Problem {
    let detail = match status.code {
        404 => format!("There is nothing at {}.", request.uri().path()),
        413 => "That is more than Vivida takes: 16 MiB for a song, 4 MiB for other data.".to_owned(),
        _ => format!("The request could not be answered ({status})."),
    };
    Problem::new(status, status.reason_lossy(), detail)
}

pub(crate) fn catchers() -> Vec<Catcher> {
    catchers![other]
}
