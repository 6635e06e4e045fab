//! Recipes and grooves of the library.

use super::*;
use crate::api::*;
use rocket::{delete, get, patch, post, put, routes};
use serde_json::Value;

#[get("/recipes")]
async fn recipes(app: &Shared) -> Answer<Vec<RecipeCard>> {
    work(app, |app| app.recipes()).await.map(Json)
}

#[post("/recipes", data = "<data>")]
async fn add_recipe(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<RecipeCard>), Problem> {
    let request: NewRecipe = body(data, &limit).await?;
    let card = work(app, move |app| app.add_recipe(request)).await?;
    Ok((Status::Created, Json(card)))
}

#[post("/recipes/file?<file_name>", data = "<data>")]
async fn import_recipe(
    app: &Shared,
    file_name: String,
    data: Data<'_>,
    limit: Limit,
) -> Result<(Status, Json<RecipeCard>), Problem> {
    let text = text(data, &limit, &file_name).await?;
    let card = work(app, move |app| app.import_recipe(&file_name, &text)).await?;
    Ok((Status::Created, Json(card)))
}

#[get("/recipes/<id>/file")]
async fn export_recipe(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.export_recipe(id.recipe())).await?;
    Ok(Download { name: format!("{name}.recipe.json"), content_type: ContentType::JSON, bytes })
}

#[patch("/recipes/<id>", data = "<data>")]
async fn rename_recipe(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<RecipeCard> {
    let change: RecipeChange = body(data, &limit).await?;
    work(app, move |app| app.rename_recipe(id.recipe(), &change)).await.map(Json)
}

#[delete("/recipes/<id>?<revision>")]
async fn delete_recipe(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete_recipe(id.recipe(), revision)).await.map(|()| Status::NoContent)
}

#[get("/grooves")]
async fn grooves(app: &Shared) -> Answer<Vec<GrooveCard>> {
    work(app, |app| app.grooves()).await.map(Json)
}

#[post("/grooves", data = "<data>")]
async fn add_groove(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<GrooveCard>), Problem> {
    let request: NewGroove = body(data, &limit).await?;
    let card = work(app, move |app| app.add_groove(request)).await?;
    Ok((Status::Created, Json(card)))
}

#[post("/grooves/file?<file_name>", data = "<data>")]
async fn import_groove(
    app: &Shared,
    file_name: String,
    data: Data<'_>,
    limit: Limit,
) -> Result<(Status, Json<ImportedGroove>), Problem> {
    let bytes = file(data, &limit, &file_name).await?;
    let imported = work(app, move |app| app.import_groove(&file_name, &bytes)).await?;
    Ok((Status::Created, Json(imported)))
}

#[post("/grooves/reading", data = "<data>")]
async fn read_groove(app: &Shared, data: Data<'_>, limit: Limit) -> Answer<vivida_core::GrooveFigures> {
    let groove: Value = body(data, &limit).await?;
    work(app, move |app| app.read_groove(groove)).await.map(Json)
}

#[get("/grooves/<id>/file")]
async fn export_groove(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.export_groove(id.groove())).await?;
    Ok(Download { name: format!("{name}.groove.json"), content_type: ContentType::JSON, bytes })
}

#[get("/grooves/<id>/clip.mid")]
async fn export_clip(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.export_clip(id.groove())).await?;
    Ok(Download { name: format!("{name}.mid"), content_type: ContentType::new("audio", "midi"), bytes })
}

#[put("/grooves/<id>", data = "<data>")]
async fn change_groove(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<GrooveCard> {
    let change: GrooveChange = body(data, &limit).await?;
    work(app, move |app| app.change_groove(id.groove(), change)).await.map(Json)
}

#[delete("/grooves/<id>?<revision>")]
async fn delete_groove(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete_groove(id.groove(), revision)).await.map(|()| Status::NoContent)
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        recipes,
        add_recipe,
        import_recipe,
        export_recipe,
        rename_recipe,
        delete_recipe,
        grooves,
        add_groove,
        import_groove,
        read_groove,
        export_groove,
        export_clip,
        change_groove,
        delete_groove,
    ]
}
