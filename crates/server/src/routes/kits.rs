//! Kits of the library, and the kits of parts.

use super::*;
use crate::api::*;
use rocket::{delete, get, post, put, routes};

#[get("/kits")]
async fn kits(app: &Shared) -> Answer<Vec<KitCard>> {
    work(app, |app| app.kits()).await.map(Json)
}

#[get("/kits/<id>")]
async fn kit(app: &Shared, id: Id) -> Answer<KitCard> {
    work(app, move |app| app.kit(id.kit())).await.map(Json)
}

#[post("/kits", data = "<data>")]
async fn add_kit(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<KitCard>), Problem> {
    let request: NewKit = body(data, &limit).await?;
    let card = work(app, move |app| app.add_kit(request)).await?;
    Ok((Status::Created, Json(card)))
}

#[post("/kits/file?<file_name>", data = "<data>")]
async fn import_kit(
    app: &Shared,
    file_name: String,
    data: Data<'_>,
    limit: Limit,
) -> Result<(Status, Json<KitCard>), Problem> {
    let text = text(data, &limit, &file_name).await?;
    let card = work(app, move |app| app.import_kit(&file_name, &text)).await?;
    Ok((Status::Created, Json(card)))
}

#[get("/kits/<id>/file")]
async fn export_kit(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.export_kit(id.kit())).await?;
    Ok(Download { name: format!("{name}.kit.json"), content_type: ContentType::JSON, bytes })
}

#[put("/kits/<id>", data = "<data>")]
async fn change_kit(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<KitCard> {
    let change: KitChange = body(data, &limit).await?;
    work(app, move |app| app.change_kit(id.kit(), change)).await.map(Json)
}

#[delete("/kits/<id>?<revision>")]
async fn delete_kit(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete_kit(id.kit(), revision)).await.map(|()| Status::NoContent)
}

#[get("/parts/<id>/notes")]
async fn notes(app: &Shared, id: Id) -> Answer<Vec<NoteUse>> {
    work(app, move |app| app.notes(id.part())).await.map(Json)
}

#[post("/parts/<id>/kit/reading", data = "<data>")]
async fn try_kit(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Exchanged> {
    let request: ExchangeKit = body(data, &limit).await?;
    work(app, move |app| app.try_kit(id.part(), &request)).await.map(Json)
}

#[put("/parts/<id>/kit", data = "<data>")]
async fn exchange_kit(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartState> {
    let request: ExchangeKit = body(data, &limit).await?;
    work(app, move |app| app.exchange_kit(id.part(), &request)).await.map(Json)
}

pub(super) fn routes() -> Vec<Route> {
    routes![kits, kit, add_kit, import_kit, export_kit, change_kit, delete_kit, notes, try_kit, exchange_kit]
}
