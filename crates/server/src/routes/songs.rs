//! Songs, histories and how screens were left.

use super::*;
use crate::api::*;
use rocket::tokio::fs;
use rocket::tokio::io::{AsyncSeekExt, AsyncWriteExt};
use rocket::{delete, get, patch, post, put, routes};
use serde_json::Value;
use serde_json::value::RawValue;
use std::fs::File;
use std::io::ErrorKind;
use vivida_core::Slots;
use vivida_store::{Backup, Step};

/// A [`SongCard`] as it was kept.
type Card = Box<RawValue>;

#[get("/songs")]
async fn songs(app: &Shared) -> Answer<Vec<Card>> {
    work(app, |app| app.songs()).await.map(Json)
}

/// The body as the bytes of a Standard MIDI File.
async fn song_file(data: Data<'_>, file_name: &str) -> Result<Vec<u8>, Problem> {
    limited(data, file_name, ByteUnit::Mebibyte(16)).await
}

/// The largest bundle: as docs/formats/bundle.md says.
pub(crate) const LARGEST_BUNDLE: ByteUnit = ByteUnit::Gibibyte(1);

fn broke_off(file_name: &str, error: &std::io::Error) -> Problem {
    if matches!(error.kind(), ErrorKind::StorageFull | ErrorKind::QuotaExceeded) {
        return Problem::full();
    }
    Problem::new(Status::BadRequest, "The upload broke off", format!("“{file_name}”: {error}. Send it again."))
}

fn too_large(file_name: &str, limit: ByteUnit) -> Problem {
    let detail = format!("“{file_name}” is larger than the {limit} that it may have.");
    let file = Some(file_name.to_owned());
    Problem { file, ..Problem::new(Status::PayloadTooLarge, "Too large", detail) }
}

/// The body as a file without a name, at its beginning, which takes no memory.
pub(super) async fn uploaded(data: Data<'_>, file_name: &str, limit: ByteUnit) -> Result<File, Problem> {
    let failed = |error: std::io::Error| broke_off(file_name, &error);
    let mut file = fs::File::from_std(tempfile::tempfile().map_err(failed)?);
    let taken = data.open(limit).stream_to(&mut file).await.map_err(failed)?;
    file.flush().await.map_err(failed)?;
    if !taken.complete {
        return Err(too_large(file_name, limit));
    }
    file.rewind().await.map_err(failed)?;
    Ok(file.into_std().await)
}

/// The body as the bytes of a file that is not too large.
pub(super) async fn limited(data: Data<'_>, file_name: &str, limit: ByteUnit) -> Result<Vec<u8>, Problem> {
    let bytes = data.open(limit).into_bytes().await.map_err(|error| broke_off(file_name, &error))?;
    if bytes.is_complete() { Ok(bytes.into_inner()) } else { Err(too_large(file_name, limit)) }
}

#[post("/songs?<file_name>", data = "<data>")]
async fn add_song(app: &Shared, file_name: String, data: Data<'_>) -> Result<(Status, Json<Card>), Problem> {
    let bytes = song_file(data, &file_name).await?;
    let card = work(app, move |app| app.add_song(&file_name, &bytes)).await?;
    Ok((Status::Created, Json(card)))
}

#[post("/songs/begun", data = "<data>")]
async fn begin_song(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<Card>), Problem> {
    let request: BeginRequest = body(data, &limit).await?;
    let card = work(app, move |app| app.begin_song(&request)).await?;
    Ok((Status::Created, Json(card)))
}

#[put("/songs/<id>/outline", data = "<data>")]
async fn set_outline(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongDetail> {
    let request: OutlineRequest = body(data, &limit).await?;
    long_work(app, move |app| app.set_outline(id.song(), &request)).await.map(Json)
}

#[put("/songs/<id>/bars", data = "<data>")]
async fn edit_bars(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongDetail> {
    let request: BarsRequest = body(data, &limit).await?;
    long_work(app, move |app| app.edit_bars(id.song(), &request)).await.map(Json)
}

#[post("/songs/<id>/parts?<file_name>&<revision>", data = "<data>")]
async fn add_parts(app: &Shared, id: Id, file_name: String, revision: i64, data: Data<'_>) -> Answer<SongDetail> {
    let bytes = song_file(data, &file_name).await?;
    long_work(app, move |app| app.add_parts(id.song(), revision, &file_name, &bytes)).await.map(Json)
}

#[post("/songs/<id>/file?<file_name>", data = "<data>")]
async fn preview_file(app: &Shared, id: Id, file_name: String, data: Data<'_>) -> Answer<RefitReport> {
    let bytes = song_file(data, &file_name).await?;
    long_work(app, move |app| app.preview_file(id.song(), &file_name, &bytes)).await.map(Json)
}

#[put("/songs/<id>/file?<file_name>&<revision>", data = "<data>")]
async fn replace_file(app: &Shared, id: Id, file_name: String, revision: i64, data: Data<'_>) -> Answer<RefitReport> {
    let bytes = song_file(data, &file_name).await?;
    long_work(app, move |app| app.replace_file(id.song(), revision, &file_name, &bytes)).await.map(Json)
}

#[get("/songs/<id>/bundle.vivida?<sounds>")]
async fn bundle(app: &Shared, id: Id, sounds: Option<bool>) -> Result<LargeFile, Problem> {
    let (name, file) = long_work(app, move |app| app.bundle(Some(id.song()), sounds.unwrap_or(true))).await?;
    Ok(LargeFile::own(file, &format!("{name}.vivida")))
}

#[get("/shelf/bundle.vivida?<sounds>")]
async fn shelf_bundle(app: &Shared, sounds: Option<bool>) -> Result<LargeFile, Problem> {
    let (name, file) = long_work(app, move |app| app.bundle(None, sounds.unwrap_or(true))).await?;
    Ok(LargeFile::own(file, &format!("{name}.vivida")))
}

#[get("/backups")]
async fn backups(app: &Shared) -> Answer<Vec<Backup>> {
    work(app, |app| Ok(app.backups())).await.map(Json)
}

#[post("/backups")]
async fn take_backup(app: &Shared) -> Answer<Vec<Backup>> {
    long_work(app, |app| app.take_backup()).await.map(Json)
}

#[post("/backups/<name>/restore")]
async fn restore(app: &Shared, name: String) -> Answer<Vec<Backup>> {
    long_work(app, move |app| app.restore(&name)).await.map(Json)
}

#[post("/bundles?<file_name>", data = "<data>")]
async fn unpack(app: &Shared, file_name: String, data: Data<'_>) -> Result<(Status, Json<Vec<Card>>), Problem> {
    let file = uploaded(data, &file_name, LARGEST_BUNDLE).await?;
    let cards = long_work(app, move |app| app.unpack(&file_name, file)).await?;
    Ok((Status::Created, Json(cards)))
}

#[get("/songs/<id>/original")]
async fn original(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.original(id.song())).await?;
    Ok(Download { name, content_type: ContentType::new("audio", "midi"), bytes })
}

#[get("/songs/<id>")]
async fn song(app: &Shared, id: Id) -> Answer<SongDetail> {
    work(app, move |app| app.song(id.song())).await.map(Json)
}

#[patch("/songs/<id>", data = "<data>")]
async fn rename(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Card> {
    let change: SongChange = body(data, &limit).await?;
    work(app, move |app| app.rename(id.song(), &change)).await.map(Json)
}

#[post("/songs/<id>/duplicate")]
async fn duplicate(app: &Shared, id: Id) -> Result<(Status, Json<Card>), Problem> {
    let card = work(app, move |app| app.duplicate(id.song())).await?;
    Ok((Status::Created, Json(card)))
}

#[delete("/songs/<id>?<revision>")]
async fn delete_song(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete(id.song(), revision)).await.map(|()| Status::NoContent)
}

#[post("/songs/delete", data = "<data>")]
async fn delete_songs(app: &Shared, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let request: SongsToDelete = body(data, &limit).await?;
    work(app, move |app| app.delete_songs(&request)).await.map(|()| Status::NoContent)
}

#[post("/shelf/<direction>")]
async fn travel_shelf(app: &Shared, direction: &str) -> Answer<Travelled> {
    let back = direction_of(direction)?;
    work(app, move |app| app.travel(None, back)).await.map(Json)
}

#[post("/songs/<id>/<direction>", rank = 2)]
async fn travel_song(app: &Shared, id: Id, direction: &str) -> Answer<Travelled> {
    let back = direction_of(direction)?;
    work(app, move |app| app.travel(Some(id.song()), back)).await.map(Json)
}

fn direction_of(direction: &str) -> Result<bool, Problem> {
    match direction {
        "undo" => Ok(true),
        "redo" => Ok(false),
        _ => Err(not_there("A history goes by undo and redo.")),
    }
}

#[get("/songs/<id>/history")]
async fn history(app: &Shared, id: Id) -> Answer<Vec<Step>> {
    work(app, move |app| app.steps(id.song())).await.map(Json)
}

#[post("/songs/<id>/history/<step>")]
async fn travel_to(app: &Shared, id: Id, step: Id) -> Answer<Travelled> {
    work(app, move |app| app.travel_to(id.song(), step.0)).await.map(Json)
}

#[put("/songs/<id>/sections", data = "<data>")]
async fn set_sections(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongDetail> {
    let change: SectionsChange = body(data, &limit).await?;
    work(app, move |app| app.set_sections(id.song(), change)).await.map(Json)
}

#[get("/songs/<id>/parts?<open>")]
async fn other_parts(app: &Shared, id: Id, open: Option<i64>) -> Answer<Vec<PartDetail>> {
    long_work(app, move |app| app.other_parts(id.song(), open.map(PartId))).await.map(Json)
}

#[get("/songs/<id>/slots?<grid>&<bars>&<bar>")]
async fn slots(app: &Shared, id: Id, grid: String, bars: Option<u32>, bar: Option<u32>) -> Answer<Slots> {
    let (bars, bar) = (bars.unwrap_or(1), bar.unwrap_or(1));
    work(app, move |app| app.slots(id.song(), bar, &grid, bars)).await.map(Json)
}

#[get("/songs/<id>/grid-lines?<asked..>")]
async fn grid_lines(app: &Shared, id: Id, asked: GridLinesAsked) -> Answer<GridLines> {
    work(app, move |app| app.grid_lines(id.song(), &asked)).await.map(Json)
}

#[get("/views/<name>")]
async fn view(app: &Shared, name: String) -> Answer<Value> {
    work(app, move |app| app.view(&name)).await.map(Json)
}

#[put("/views/<name>", data = "<data>")]
async fn set_view(app: &Shared, name: String, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let value: Value = body(data, &limit).await?;
    work(app, move |app| app.set_view(&name, &value)).await.map(|()| Status::NoContent)
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        songs,
        add_song,
        begin_song,
        set_outline,
        edit_bars,
        add_parts,
        preview_file,
        replace_file,
        bundle,
        shelf_bundle,
        unpack,
        backups,
        take_backup,
        restore,
        song,
        original,
        rename,
        duplicate,
        delete_song,
        delete_songs,
        travel_shelf,
        travel_song,
        history,
        travel_to,
        set_sections,
        other_parts,
        slots,
        grid_lines,
        view,
        set_view,
    ]
}
