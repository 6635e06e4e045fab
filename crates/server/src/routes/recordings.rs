//! Recording, and what is struck.

use super::*;
use crate::api::*;
use rocket::{delete, get, post, put, routes};
use vivida_core::{Latency, Live};
use vivida_store::RecordingId;

#[get("/parts/<id>/recordings")]
async fn recordings(app: &Shared, id: Id) -> Answer<Vec<RecordingCard>> {
    work(app, move |app| app.recordings(id.part())).await.map(Json)
}

#[post("/parts/<id>/recordings", data = "<data>")]
async fn begin_recording(
    app: &Shared,
    id: Id,
    data: Data<'_>,
    limit: Limit,
) -> Result<(Status, Json<RecordingCard>), Problem> {
    let request: BeginRecording = body(data, &limit).await?;
    let card = work(app, move |app| app.begin_recording(id.part(), &request)).await?;
    Ok((Status::Created, Json(card)))
}

#[post("/recordings/<id>/pieces", data = "<data>")]
async fn add_piece(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let request: RecordingPiece = body(data, &limit).await?;
    work(app, move |app| app.add_piece(RecordingId(id.0), &request)).await.map(|()| Status::NoContent)
}

#[get("/recordings/<id>")]
async fn recorded_rounds(app: &Shared, id: Id) -> Answer<RecordedRounds> {
    work(app, move |app| app.recorded_rounds(RecordingId(id.0))).await.map(Json)
}

#[put("/recordings/<id>", data = "<data>")]
async fn keep_recording(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartDetail> {
    let request: KeepRecording = body(data, &limit).await?;
    work(app, move |app| app.keep_recording(RecordingId(id.0), &request)).await.map(Json)
}

#[delete("/recordings/<id>")]
async fn delete_recording(app: &Shared, id: Id) -> Result<Status, Problem> {
    work(app, move |app| app.delete_recording(RecordingId(id.0))).await.map(|()| Status::NoContent)
}

#[post("/latency", data = "<data>")]
async fn latency(app: &Shared, data: Data<'_>, limit: Limit) -> Answer<Latency> {
    let request: LatencyRequest = body(data, &limit).await?;
    work(app, move |app| app.latency(&request)).await.map(Json)
}

#[post("/parts/<id>/live", data = "<data>")]
async fn live(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Live> {
    let request: LiveRequest = body(data, &limit).await?;
    work(app, move |app| app.live(id.part(), request)).await.map(Json)
}

pub(super) fn routes() -> Vec<Route> {
    routes![recordings, begin_recording, add_piece, recorded_rounds, keep_recording, delete_recording, latency, live,]
}
