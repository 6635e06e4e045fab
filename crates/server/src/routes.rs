//! `/api/v1`: each route parses, calls and answers.

use crate::api::*;
use crate::app::App;
use crate::problem::Problem;
use rocket::data::{Capped, Data};
use rocket::http::{ContentType, Header, Status};
use rocket::request::{FromParam, Request};
use rocket::response::{Responder, Response};
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, put, routes};
use serde::de::DeserializeOwned;
use serde_json::Value;
use std::io::Cursor;
use std::sync::Arc;
use vivida_core::{Action, Layers, PocketId, Slots, StartingPoint, TouchProfile};
use vivida_smf::{Export, Resolution};
use vivida_sound::{KitManifest, Voice, manifest, wav};
use vivida_store::{GrooveId, PartId, RecipeId, SongId, TakeId};

type Answer<T> = Result<Json<T>, Problem>;
type Shared = State<Arc<App>>;

/// Does the work on a thread where it may take its time.
async fn work<T: Send + 'static>(
    app: &Shared,
    call: impl FnOnce(&App) -> Result<T, Problem> + Send + 'static,
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
        return Err(Problem::new(Status::PayloadTooLarge, "Too large", "This is more than 4 MiB of data."));
    }
    let mut reader = serde_json::Deserializer::from_slice(&bytes);
    serde_path_to_error::deserialize(&mut reader)
        .map_err(|error| Problem::field(error.path().to_string(), error.inner().to_string()))
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
        wrong(Status::UnprocessableEntity, format!("“{file_name}” is no text: {error}. Choose a recipe in JSON."))
    })?;
    if !text.is_complete() {
        return Err(wrong(Status::PayloadTooLarge, format!("“{file_name}” is larger than 4 MiB.")));
    }
    Ok(text.into_inner())
}

/// How much of a body is taken.
struct Limit(rocket::data::ByteUnit);

#[rocket::async_trait]
impl<'r> rocket::request::FromRequest<'r> for Limit {
    type Error = std::convert::Infallible;
    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Limit, Self::Error> {
        let limit = request.limits().get("json").unwrap_or(rocket::data::ByteUnit::Mebibyte(4));
        rocket::request::Outcome::Success(Limit(limit))
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
        // RFC 6266: the plain name for old readers, the percent-encoded one for all letters.
        let plain: String = self
            .name
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() || " .-_()".contains(c) { c } else { '_' })
            .collect();
        let encoded: String = self
            .name
            .bytes()
            .map(|b| {
                if b.is_ascii_alphanumeric() || b"-._~".contains(&b) {
                    char::from(b).to_string()
                } else {
                    format!("%{b:02X}")
                }
            })
            .collect();
        let disposition = format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{encoded}");
        Response::build()
            .header(self.content_type)
            .header(Header::new("Content-Disposition", disposition))
            .sized_body(self.bytes.len(), Cursor::new(self.bytes))
            .ok()
    }
}

#[get("/songs")]
async fn songs(app: &Shared) -> Answer<Vec<SongCard>> {
    work(app, App::songs).await.map(Json)
}

#[post("/songs?<file_name>", data = "<data>")]
async fn add_song(app: &Shared, file_name: String, data: Data<'_>) -> Result<(Status, Json<SongCard>), Problem> {
    let limit = rocket::data::ByteUnit::Mebibyte(16);
    let bytes = data.open(limit).into_bytes().await.map_err(|error| {
        Problem::new(Status::BadRequest, "The upload broke off", format!("“{file_name}”: {error}. Send it again."))
    })?;
    if !bytes.is_complete() {
        let detail = format!("“{file_name}” is larger than the 16 MiB that a song may have.");
        return Err(Problem { file: Some(file_name), ..Problem::new(Status::PayloadTooLarge, "Too large", detail) });
    }
    let bytes = bytes.into_inner();
    let card = work(app, move |app| app.add_song(&file_name, &bytes)).await?;
    Ok((Status::Created, Json(card)))
}

#[get("/songs/<id>")]
async fn song(app: &Shared, id: Id) -> Answer<SongDetail> {
    work(app, move |app| app.song(id.song())).await.map(Json)
}

#[patch("/songs/<id>", data = "<data>")]
async fn rename(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongCard> {
    let change: SongChange = body(data, &limit).await?;
    work(app, move |app| app.rename(id.song(), &change)).await.map(Json)
}

#[post("/songs/<id>/duplicate")]
async fn duplicate(app: &Shared, id: Id) -> Result<(Status, Json<SongCard>), Problem> {
    let card = work(app, move |app| app.duplicate(id.song())).await?;
    Ok((Status::Created, Json(card)))
}

#[delete("/songs/<id>?<revision>")]
async fn delete_song(app: &Shared, id: Id, revision: i64) -> Result<Status, Problem> {
    work(app, move |app| app.delete(id.song(), revision)).await.map(|()| Status::NoContent)
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
        _ => Err(Problem::new(Status::NotFound, "Not there", "A history goes by undo and redo.")),
    }
}

#[get("/parts/<id>")]
async fn part(app: &Shared, id: Id) -> Answer<PartDetail> {
    work(app, move |app| app.part_detail(id.part())).await.map(Json)
}

#[put("/parts/<id>", data = "<data>")]
async fn change_part(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartState> {
    let change: PartChangeRequest = body(data, &limit).await?;
    work(app, move |app| app.change_part(id.part(), change)).await.map(Json)
}

#[put("/songs/<id>/sections", data = "<data>")]
async fn set_sections(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<SongDetail> {
    let change: SectionsChange = body(data, &limit).await?;
    work(app, move |app| app.set_sections(id.song(), change)).await.map(Json)
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
    let request: Named = body(data, &limit).await?;
    work(app, move |app| app.print(id.part(), request)).await.map(Json)
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

#[put("/kit/layers", data = "<data>")]
async fn set_layers(app: &Shared, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let layers: Layers = body(data, &limit).await?;
    work(app, move |app| app.set_layers(layers)).await.map(|()| Status::NoContent)
}

#[get("/recipes")]
async fn recipes(app: &Shared) -> Answer<Vec<RecipeCard>> {
    work(app, App::recipes).await.map(Json)
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
    work(app, App::grooves).await.map(Json)
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
async fn read_groove(app: &Shared, data: Data<'_>, limit: Limit) -> Answer<vivida_core::GrooveReading> {
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

#[post("/parts/<id>/groove", data = "<data>")]
async fn take_groove(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<TakenGroove> {
    let request: TakeGroove = body(data, &limit).await?;
    work(app, move |app| app.take_groove(id.part(), request)).await.map(Json)
}

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
    work(app, App::defaults).await.map(Json)
}

#[put("/defaults", data = "<data>")]
async fn set_defaults(app: &Shared, data: Data<'_>, limit: Limit) -> Result<Status, Problem> {
    let defaults: SessionDefaults = body(data, &limit).await?;
    work(app, move |app| app.set_defaults(defaults)).await.map(|()| Status::NoContent)
}

#[post("/songs/<id>/defaults", rank = 1)]
async fn apply_defaults(app: &Shared, id: Id) -> Answer<DefaultsApplied> {
    work(app, move |app| app.apply_defaults(id.song())).await.map(Json)
}

#[post("/parts/<id>/performance", data = "<data>")]
async fn performance(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PerformanceColumns> {
    let request: PerformRequest = body(data, &limit).await?;
    work(app, move |app| app.perform(id.part(), request)).await.map(Json)
}

#[post("/parts/<id>/touched", data = "<data>")]
async fn touched(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<Vec<u32>> {
    let request: PerformRequest = body(data, &limit).await?;
    work(app, move |app| app.touched(id.part(), request)).await.map(Json)
}

#[get("/songs/<id>/slots?<grid>&<bars>&<bar>")]
async fn slots(app: &Shared, id: Id, grid: String, bars: Option<u32>, bar: Option<u32>) -> Answer<Slots> {
    let (bars, bar) = (bars.unwrap_or(1), bar.unwrap_or(1));
    work(app, move |app| app.slots(id.song(), bar, &grid, bars)).await.map(Json)
}

#[get("/songs/<id>/grid-lines?<grid>&<swing>&<from>&<to>")]
async fn grid_lines(app: &Shared, id: Id, grid: String, swing: Option<f64>, from: f64, to: f64) -> Answer<Vec<f64>> {
    let swing = swing.unwrap_or(50.0);
    work(app, move |app| app.grid_lines(id.song(), &grid, swing, from, to)).await.map(Json)
}

#[get("/songs/<id>/export")]
async fn export_info(app: &Shared, id: Id) -> Answer<ExportInfo> {
    work(app, move |app| app.export_info(id.song())).await.map(Json)
}

#[get("/songs/<id>/export.mid?<resolution>&<lead_in>")]
async fn export_midi(
    app: &Shared,
    id: Id,
    resolution: Option<&str>,
    lead_in: Option<bool>,
) -> Result<Download, Problem> {
    let resolution = match resolution {
        None | Some("own") => Resolution::Own,
        Some("fine") => Resolution::Fine,
        Some(other) => return Err(Problem::field("resolution", format!("“{other}” is neither own nor fine"))),
    };
    let export = Export { resolution, lead_in: lead_in.unwrap_or(false) };
    let (name, bytes) = work(app, move |app| app.export_midi(id.song(), export)).await?;
    Ok(Download { name: format!("{name}.mid"), content_type: ContentType::new("audio", "midi"), bytes })
}

#[get("/songs/<id>/export.wav?<reading>")]
async fn export_wav(app: &Shared, id: Id, reading: Option<&str>) -> Result<Download, Problem> {
    let as_written = match reading {
        None | Some("played") => false,
        Some("written") => true,
        Some(other) => return Err(Problem::field("reading", format!("“{other}” is neither written nor played"))),
    };
    let (name, bytes) = work(app, move |app| app.export_wav(id.song(), as_written)).await?;
    Ok(Download { name: format!("{name}.wav"), content_type: ContentType::WAV, bytes })
}

#[get("/actions")]
fn actions() -> Json<Vec<ActionOffer>> {
    let offers = Action::all().into_iter().zip(Action::defaults());
    Json(offers.map(|(info, start)| ActionOffer { info, start }).collect())
}

#[get("/sound/kit")]
fn kit() -> Json<KitManifest> {
    Json(manifest())
}

#[get("/sound/<file>", rank = 2)]
async fn sound(app: &Shared, file: &str) -> Result<(ContentType, Vec<u8>), Problem> {
    let named = |voice: &Voice| {
        serde_json::to_value(voice)
            .is_ok_and(|name| Some(file) == name.as_str().map(|name| format!("{name}.wav")).as_deref())
    };
    let voice = Voice::ALL.into_iter().find(named);
    let voice =
        voice.ok_or_else(|| Problem::new(Status::NotFound, "Not there", format!("The kit has no voice “{file}”.")))?;
    let bytes = work(app, move |_| Ok(wav(voice))).await?;
    Ok((ContentType::WAV, bytes))
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

pub(crate) fn all() -> Vec<Route> {
    routes![
        songs,
        add_song,
        song,
        rename,
        duplicate,
        delete_song,
        travel_shelf,
        travel_song,
        part,
        change_part,
        set_sections,
        duplicate_part,
        delete_part,
        print,
        rename_take,
        delete_take,
        take_played,
        starting_points,
        touch,
        fit,
        receive,
        set_layers,
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
        take_groove,
        pockets,
        add_pocket,
        change_pocket,
        delete_pocket,
        change_followers,
        defaults,
        set_defaults,
        apply_defaults,
        performance,
        touched,
        slots,
        grid_lines,
        export_info,
        export_midi,
        export_wav,
        actions,
        kit,
        sound,
        view,
        set_view,
    ]
}
