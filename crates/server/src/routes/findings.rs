//! Findings, and parts to learn from.

use super::*;
use crate::api::*;
use rocket::{get, put, routes};
use vivida_core::Thresholds;

#[get("/parts/<id>/findings?<cures>&<window>")]
async fn findings(app: &Shared, id: Id, cures: Option<bool>, window: Option<String>) -> Answer<Vec<FindingCard>> {
    let with_cures = cures.unwrap_or(true);
    let find = move |app: &Arc<App>| app.findings(id.part(), with_cures, window.as_deref());
    if with_cures { long_work(app, find).await.map(Json) } else { work(app, find).await.map(Json) }
}

#[get("/parts/<id>/study/<other>?<take>")]
async fn study(app: &Shared, id: Id, other: Id, take: Option<i64>) -> Answer<StudyDetail> {
    work(app, move |app| app.study(id.part(), other.part(), take.map(TakeId))).await.map(Json)
}

#[get("/findings/thresholds")]
async fn thresholds(app: &Shared) -> Answer<Thresholds> {
    work(app, |app| app.thresholds()).await.map(Json)
}

#[put("/findings/thresholds", data = "<data>")]
async fn set_thresholds(app: &Shared, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let thresholds: Thresholds = body(data, &limit).await?;
    work(app, move |app| app.set_thresholds(&thresholds)).await.map(|()| Status::NoContent)
}

pub(super) fn routes() -> Vec<Route> {
    routes![findings, study, thresholds, set_thresholds]
}
