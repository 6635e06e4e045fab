//! Pockets, followers, the usual feel.

use super::*;
use crate::api::*;
use rocket::{delete, get, post, put, routes};

#[get("/songs/<id>/pockets")]
async fn pockets(app: &Shared, id: Id) -> Answer<Vec<PocketCard>> {
    work(app, move |app| app.pockets(id.song())).await.map(Json)
}

#[post("/songs/<id>/pockets", data = "<data>")]
async fn add_pocket(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongPockets> {
    let request: NewPocket = body(data, &limit).await?;
    work(app, move |app| app.add_pocket(id.song(), request)).await.map(Json)
}

#[put("/pockets/<id>", data = "<data>")]
async fn change_pocket(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongPockets> {
    let request: PocketChange = body(data, &limit).await?;
    let pocket = id.pocket()?;
    work(app, move |app| app.change_pocket(pocket, request)).await.map(Json)
}

#[get("/pockets/<id>/file")]
async fn pocket_file(app: &Shared, id: Id) -> Result<Download, Problem> {
    let pocket = id.pocket()?;
    let (name, bytes) = work(app, move |app| app.pocket_file(pocket)).await?;
    Ok(Download { name: format!("{name}.pocket.json"), content_type: ContentType::JSON, bytes })
}

#[delete("/pockets/<id>?<revision>")]
async fn delete_pocket(app: &Shared, id: Id, revision: i64) -> Answer<SongPockets> {
    let pocket = id.pocket()?;
    work(app, move |app| app.delete_pocket(pocket, revision)).await.map(Json)
}

#[post("/pockets/<id>/followers", data = "<data>")]
async fn change_followers(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongPockets> {
    let request: FollowerChange = body(data, &limit).await?;
    let pocket = id.pocket()?;
    work(app, move |app| app.change_followers(pocket, request)).await.map(Json)
}

#[get("/defaults")]
async fn defaults(app: &Shared) -> Answer<SessionDefaults> {
    work(app, |app| app.defaults()).await.map(Json)
}

#[put("/defaults", data = "<data>")]
async fn set_defaults(app: &Shared, data: Data<'_>, limit: Limit) -> Answer<SessionDefaults> {
    let defaults: SessionDefaults = body(data, &limit).await?;
    work(app, move |app| app.set_defaults(defaults)).await.map(Json)
}

#[post("/songs/<id>/defaults", rank = 1)]
async fn apply_defaults(app: &Shared, id: Id) -> Answer<DefaultsApplied> {
    work(app, move |app| app.apply_defaults(id.song())).await.map(Json)
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        pockets,
        add_pocket,
        change_pocket,
        pocket_file,
        delete_pocket,
        change_followers,
        defaults,
        set_defaults,
        apply_defaults,
    ]
}
