//! Parts, takes, performances.

use super::*;
use crate::api::*;
use rocket::{delete, get, patch, post, put, routes};
use vivida_core::{AimRule, HitId, LayerBounds, StartingPoint, TouchProfile};

#[get("/parts/<id>")]
async fn part(app: &Shared, id: Id) -> Answer<PartDetail> {
    work(app, move |app| app.part_detail(id.part())).await.map(Json)
}

#[put("/parts/<id>", data = "<data>")]
async fn change_part(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartState> {
    let change: PartChangeRequest = body(data, &limit).await?;
    work(app, move |app| app.change_part(id.part(), change)).await.map(Json)
}

#[put("/parts/<id>/written", data = "<data>")]
async fn write(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartDetail> {
    let request: WriteRequest = body(data, &limit).await?;
    work(app, move |app| app.write(id.part(), &request)).await.map(Json)
}

#[post("/parts/<id>/duplicate", rank = 1)]
async fn duplicate_part(app: &Shared, id: Id) -> Result<(Status, Json<PartState>), Problem> {
    let state = work(app, move |app| app.duplicate_part(id.part())).await?;
    Ok((Status::Created, Json(state)))
}

#[delete("/parts/<id>?<revision>")]
async fn delete_part(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete_part(id.part(), revision)).await.map(|()| Status::NoContent)
}

#[post("/parts/<id>/takes", data = "<data>")]
async fn print(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartState> {
    let request: PrintRequest = body(data, &limit).await?;
    long_work(app, move |app| app.print(id.part(), request)).await.map(Json)
}

#[patch("/parts/<id>/takes/<take>", data = "<data>")]
async fn rename_take(app: &Shared, id: Id, take: Id, data: Data<'_>, limit: Limit) -> Answer<PartState> {
    let request: Named = body(data, &limit).await?;
    work(app, move |app| app.rename_take(id.part(), take.take(), &request)).await.map(Json)
}

#[delete("/parts/<id>/takes/<take>?<revision>")]
async fn delete_take(app: &Shared, id: Id, take: Id, revision: i64) -> Answer<PartState> {
    work(app, move |app| app.delete_take(id.part(), take.take(), revision)).await.map(Json)
}

#[get("/parts/<id>/takes/<take>/performance")]
async fn take_played(app: &Shared, id: Id, take: Id) -> Answer<TakeColumns> {
    work(app, move |app| app.take_played(id.part(), take.take())).await.map(Json)
}

#[get("/parts/<id>/lines?<instrument>&<from>&<to>")]
async fn drum_lines(app: &Shared, id: Id, instrument: String, from: f64, to: f64) -> Answer<DrumLines> {
    work(app, move |app| app.drum_lines(id.part(), &instrument, from, to)).await.map(Json)
}

#[get("/parts/<id>/takes/<take>/file")]
async fn take_file(app: &Shared, id: Id, take: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.take_file(id.part(), take.take())).await?;
    Ok(Download { name: format!("{name}.recipe.json"), content_type: ContentType::JSON, bytes })
}

#[get("/parts/<id>/starting-points")]
async fn starting_points(app: &Shared, id: Id) -> Answer<Vec<StartingPoint>> {
    work(app, move |app| app.starting_points(id.part())).await.map(Json)
}

#[get("/parts/<id>/touch")]
async fn touch(app: &Shared, id: Id) -> Answer<TouchProfile> {
    work(app, move |app| app.touch(id.part())).await.map(Json)
}

#[post("/parts/<id>/fit", data = "<data>")]
async fn fit(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Fitted> {
    let request: FitRequest = body(data, &limit).await?;
    work(app, move |app| app.fit(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/passes", data = "<data>")]
async fn receive(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Received> {
    let request: FitRequest = body(data, &limit).await?;
    work(app, move |app| app.receive(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/split", data = "<data>")]
async fn split_part(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<RegroupedParts> {
    let request: SplitRequest = body(data, &limit).await?;
    long_work(app, move |app| app.split_part(id.part(), &request)).await.map(Json)
}

#[post("/songs/<id>/join", data = "<data>")]
async fn join_parts(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<RegroupedParts> {
    let request: JoinRequest = body(data, &limit).await?;
    long_work(app, move |app| app.join_parts(id.song(), &request)).await.map(Json)
}

#[put("/kit/layers", data = "<data>")]
async fn set_layers(app: &Shared, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let layers: LayerBounds = body(data, &limit).await?;
    work(app, move |app| app.set_layers(layers)).await.map(|()| Status::NoContent)
}

#[post("/parts/<id>/groove", data = "<data>")]
async fn take_groove(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<ExtractedGroove> {
    let request: ExtractGroove = body(data, &limit).await?;
    work(app, move |app| app.take_groove(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/performance", data = "<data>")]
async fn performance(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PerformanceColumns> {
    let request: PerformRequest = body(data, &limit).await?;
    work(app, move |app| app.perform(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/touched", data = "<data>")]
async fn touched(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Vec<HitId>> {
    let request: PerformRequest = body(data, &limit).await?;
    work(app, move |app| app.touched(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/rules", data = "<data>")]
async fn rules(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Vec<AimRule>> {
    let request: PerformRequest = body(data, &limit).await?;
    work(app, move |app| app.rules(id.part(), request)).await.map(Json)
}

#[get("/vocabulary")]
fn vocabulary() -> Json<Vocabulary> {
    Json(crate::answers::vocabulary())
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        part,
        change_part,
        write,
        duplicate_part,
        delete_part,
        print,
        rename_take,
        delete_take,
        take_played,
        drum_lines,
        take_file,
        starting_points,
        touch,
        fit,
        receive,
        split_part,
        join_parts,
        set_layers,
        take_groove,
        performance,
        touched,
        rules,
        vocabulary,
    ]
}
