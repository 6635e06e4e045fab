//! `/api/v1`: each route parses, calls and answers. By resource; what all share is here.

mod batches;
mod exports;
mod findings;
mod kits;
mod library;
mod parts;
mod pockets;
mod recordings;
mod sending;
mod songs;
mod sounds;

use self::sending::LargeFile;
#[cfg(test)]
pub(crate) use self::songs::LARGEST_BUNDLE;
use crate::app::App;
use crate::problem::Problem;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use rocket::data::{ByteUnit, Capped, Data};
use rocket::http::{ContentType, Header, Status};
use rocket::request::{FromParam, FromRequest, Outcome, Request};
use rocket::response::{Responder, Response};
use rocket::serde::json::Json;
use rocket::tokio::sync::Semaphore;
use rocket::{Route, State};
use serde::de::DeserializeOwned;
use std::convert::Infallible;
use std::io::Cursor;
use std::sync::Arc;
use vivida_core::PocketId;
use vivida_store::{GrooveId, KitId, PartId, RecipeId, SongId, TakeId};

type Answer<T> = Result<Json<T>, Problem>;
type Shared = State<Arc<App>>;

/// So much is done at once that takes a moment, and of what may take long; what comes then waits for its turn, and
/// nothing that takes a moment waits for what takes long.
static MOMENTS: Semaphore = Semaphore::const_new(64);
static LONG: Semaphore = Semaphore::const_new(4);

/// Does work that takes a moment.
async fn work<T: Send + 'static>(
    app: &Shared,
    call: impl FnOnce(&Arc<App>) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Problem> {
    // It is never closed.
    let _turn = MOMENTS.acquire().await;
    on_a_thread(app, call).await
}

/// Does work that may take long.
async fn long_work<T: Send + 'static>(
    app: &Shared,
    call: impl FnOnce(&Arc<App>) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Problem> {
    let _turn = LONG.acquire().await;
    on_a_thread(app, call).await
}

/// Does the work on a thread where it may take its time.
async fn on_a_thread<T: Send + 'static>(
    app: &Shared,
    call: impl FnOnce(&Arc<App>) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Problem> {
    let app = Arc::clone(app.inner());
    let done = rocket::tokio::task::spawn_blocking(move || call(&app)).await;
    done.unwrap_or_else(|_| {
        let detail =
            "Vivida failed while working on this; nothing was changed. Try again, and keep the file for a report.";
        Err(Problem::new(Status::InternalServerError, "Failed", detail))
    })
}

/// The body as JSON; what is wrong with it is named by its path.
async fn body<T: DeserializeOwned>(data: Data<'_>, request: &Limit) -> Result<T, Problem> {
    let bytes: Capped<Vec<u8>> = data
        .open(request.0)
        .into_bytes()
        .await
        .map_err(|error| Problem::new(Status::BadRequest, "The request broke off", error.to_string()))?;
    if !bytes.is_complete() {
        return Err(Problem::new(
            Status::PayloadTooLarge,
            "Too large",
            format!("This is more than {} of data.", request.0),
        ));
    }
    let mut reader = serde_json::Deserializer::from_slice(&bytes);
    let value = serde_path_to_error::deserialize(&mut reader)
        .map_err(|error| Problem::field(error.path().to_string(), vivida_core::refused(error.inner())))?;
    reader.end().map_err(|error| Problem::field(".", format!("something follows the JSON: {error}")))?;
    Ok(value)
}

/// The body as the bytes of a file.
async fn file(data: Data<'_>, limit: &Limit, file_name: &str) -> Result<Vec<u8>, Problem> {
    let wrong = |status, detail: String| Problem {
        file: Some(file_name.to_owned()),
        ..Problem::new(status, "The file cannot be read", detail)
    };
    let bytes = data.open(limit.0).into_bytes().await;
    let bytes = bytes
        .map_err(|error| wrong(Status::BadRequest, format!("“{file_name}” broke off: {error}. Send it again.")))?;
    if !bytes.is_complete() {
        return Err(wrong(Status::PayloadTooLarge, format!("“{file_name}” is larger than 4 MiB.")));
    }
    Ok(bytes.into_inner())
}

/// The body as the text of a file.
async fn text(data: Data<'_>, limit: &Limit, file_name: &str) -> Result<String, Problem> {
    let wrong = |status, detail: String| Problem {
        file: Some(file_name.to_owned()),
        ..Problem::new(status, "The file cannot be read", detail)
    };
    let text = data.open(limit.0).into_string().await.map_err(|error| {
        wrong(Status::UnprocessableEntity, format!("“{file_name}” is no text: {error}. Choose a file of JSON."))
    })?;
    if !text.is_complete() {
        return Err(wrong(Status::PayloadTooLarge, format!("“{file_name}” is larger than 4 MiB.")));
    }
    Ok(text.into_inner())
}

/// How much of a body is taken.
struct Limit(ByteUnit);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Limit {
    type Error = Infallible;
    async fn from_request(request: &'r Request<'_>) -> Outcome<Limit, Self::Error> {
        let limit = request.limits().get("json").unwrap_or(ByteUnit::Mebibyte(4));
        Outcome::Success(Limit(limit))
    }
}

/// An id in a path.
struct Id(i64);

impl<'r> FromParam<'r> for Id {
    type Error = &'r str;
    fn from_param(text: &'r str) -> Result<Id, &'r str> {
        text.parse().map(Id).map_err(|_| text)
    }
}

impl Id {
    fn song(&self) -> SongId {
        SongId(self.0)
    }

    fn part(&self) -> PartId {
        PartId(self.0)
    }

    fn take(&self) -> TakeId {
        TakeId(self.0)
    }

    fn kit(&self) -> KitId {
        KitId(self.0)
    }

    fn groove(&self) -> GrooveId {
        GrooveId(self.0)
    }

    fn pocket(&self) -> Result<PocketId, Problem> {
        u32::try_from(self.0).map(PocketId).map_err(|_| {
            Problem::new(
                Status::NotFound,
                "Not there",
                format!("There is no pocket {}; it may have been deleted.", self.0),
            )
        })
    }

    fn recipe(&self) -> RecipeId {
        RecipeId(self.0)
    }
}

/// A file to be saved.
struct Download {
    name: String,
    content_type: ContentType,
    bytes: Vec<u8>,
}

impl<'r> Responder<'r, 'static> for Download {
    fn respond_to(self, _: &'r Request<'_>) -> rocket::response::Result<'static> {
        Response::build()
            .header(self.content_type)
            .header(attachment(&self.name))
            .sized_body(self.bytes.len(), Cursor::new(self.bytes))
            .ok()
    }
}

/// Saved under this name. RFC 6266: the plain name for old readers, the percent-encoded one for all letters.
fn attachment(name: &str) -> Header<'static> {
    const KEPT: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');
    let plain = |c: char| if c.is_ascii_alphanumeric() || " .-_()".contains(c) { c } else { '_' };
    let plain: String = name.chars().map(plain).collect();
    let encoded = utf8_percent_encode(name, KEPT);
    Header::new("Content-Disposition", format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{encoded}"))
}

fn not_there(detail: impl Into<String>) -> Problem {
    Problem::new(Status::NotFound, "Not there", detail)
}

pub(crate) fn all() -> Vec<Route> {
    [
        songs::routes(),
        parts::routes(),
        findings::routes(),
        library::routes(),
        kits::routes(),
        pockets::routes(),
        batches::routes(),
        recordings::routes(),
        sounds::routes(),
        exports::routes(),
    ]
    .concat()
}
