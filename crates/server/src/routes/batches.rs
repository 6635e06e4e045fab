//! Many songs at once.

use super::*;
use crate::api::*;
use rocket::{delete, get, post, routes};
use vivida_store::BatchId;

#[post("/batches", data = "<data>")]
async fn begin_batch(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<BatchDetail>), Problem> {
    let request: BatchRequest = body(data, &limit).await?;
    let batch = work(app, move |app| app.begin_batch(request)).await?;
    Ok((Status::Created, Json(batch)))
}

#[get("/batches")]
async fn batches(app: &Shared) -> Answer<Vec<BatchCard>> {
    work(app, |app| app.batches()).await.map(Json)
}

#[get("/batches/<id>", rank = 2)]
async fn batch(app: &Shared, id: Id) -> Answer<BatchDetail> {
    work(app, move |app| app.batch(BatchId(id.0))).await.map(Json)
}

#[delete("/batches/<id>")]
async fn cancel_batch(app: &Shared, id: Id) -> Result<Status, Problem> {
    work(app, move |app| app.cancel_batch(BatchId(id.0))).await.map(|()| Status::NoContent)
}

#[post("/batches/<id>/undo")]
async fn undo_batch(app: &Shared, id: Id) -> Answer<BatchUndone> {
    work(app, move |app| app.undo_batch(BatchId(id.0))).await.map(Json)
}

#[get("/batches/<id>/report.csv")]
async fn report(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.batch_csv(BatchId(id.0))).await?;
    Ok(Download { name: format!("{name}.csv"), content_type: ContentType::CSV, bytes })
}

pub(super) fn routes() -> Vec<Route> {
    routes![begin_batch, batches, batch, cancel_batch, undo_batch, report]
}
