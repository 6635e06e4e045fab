//! Taking songs away, and the built-in kit.

use super::*;
use crate::api::*;
use rocket::{delete, get, post, routes};
use vivida_core::MovementOut;
use vivida_smf::{Export, Resolution};
use vivida_sound::{KitManifest, Voice, manifest, wav};

#[get("/songs/<id>/export")]
async fn export_info(app: &Shared, id: Id) -> Answer<ExportInfo> {
    work(app, move |app| app.export_info(id.song())).await.map(Json)
}

/// `5-8`, and what else of a song is asked for.
fn wanted(part: Option<i64>, bars: Option<&str>, split: Option<bool>, format: Option<u8>) -> Result<Wanted, Problem> {
    let bars = bars.map(str::parse).transpose().map_err(|said: String| Problem::field("bars", said))?;
    let one_track = match format {
        None | Some(1) => false,
        Some(0) => true,
        Some(other) => return Err(Problem::field("format", format!("{other} is neither 0 nor 1"))),
    };
    Ok(Wanted { part: part.map(PartId), bars, split: split.unwrap_or(false), one_track })
}

#[allow(clippy::too_many_arguments, reason = "each is a field of the address")]
#[get("/songs/<id>/export.mid?<resolution>&<lead_in>&<part>&<bars>&<split>&<format>&<movement>")]
async fn export_midi(
    app: &Shared,
    id: Id,
    resolution: Option<&str>,
    lead_in: Option<bool>,
    part: Option<i64>,
    bars: Option<&str>,
    split: Option<bool>,
    format: Option<u8>,
    movement: Option<&str>,
) -> Result<Download, Problem> {
    let resolution = match resolution {
        None | Some("own") => Resolution::Own,
        Some("fine") => Resolution::Fine,
        Some(other) => return Err(Problem::field("resolution", format!("“{other}” is neither own nor fine"))),
    };
    let export = Export { resolution, lead_in: lead_in.unwrap_or(false), ..Export::default() };
    let how = match movement {
        None | Some("own") => MovementOut::OwnChannel,
        Some("channels") => MovementOut::ChannelForEach,
        Some("mpe") => MovementOut::Mpe,
        Some(other) => return Err(Problem::field("movement", format!("“{other}” is none of own, channels and mpe"))),
    };
    let wanted = wanted(part, bars, split, format)?;
    let (name, bytes) = long_work(app, move |app| app.export_midi(id.song(), export, how, &wanted)).await?;
    Ok(Download { name: format!("{name}.mid"), content_type: ContentType::new("audio", "midi"), bytes })
}

#[get("/parts/<id>/hits.csv")]
async fn hits_csv(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.hits_csv(id.part())).await?;
    Ok(Download { name: format!("{name}.csv"), content_type: ContentType::CSV, bytes })
}

#[get("/songs/export.zip?<ids>")]
async fn export_songs(app: &Shared, ids: &str) -> Result<Download, Problem> {
    let ids: Option<Vec<SongId>> = ids.split(',').map(|id| id.parse().ok().map(SongId)).collect();
    let ids = ids.ok_or_else(|| Problem::field("ids", "song ids with commas between them, such as 1,2,5"))?;
    let name = format!("{} songs.zip", ids.len());
    let bytes = long_work(app, move |app| app.export_songs(&ids)).await?;
    Ok(Download { name, content_type: ContentType::ZIP, bytes })
}

#[get("/songs/<id>/export.wav?<reading>")]
async fn export_wav(app: &Shared, id: Id, reading: Option<&str>) -> Result<LargeFile, Problem> {
    let as_written = match reading {
        None | Some("played") => false,
        Some("written") => true,
        Some(other) => return Err(Problem::field("reading", format!("“{other}” is neither written nor played"))),
    };
    let (name, file) = long_work(app, move |app| app.export_wav(id.song(), as_written)).await?;
    Ok(LargeFile::own(file, &format!("{name}.wav")))
}

#[post("/renders", data = "<data>")]
async fn begin_render(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<RenderState>), Problem> {
    let request: NewRender = body(data, &limit).await?;
    let state = long_work(app, move |app| app.begin_render(&request)).await?;
    Ok((Status::Accepted, Json(state)))
}

#[get("/renders/<id>")]
fn render(app: &Shared, id: u32) -> Answer<RenderState> {
    app.render_state(id).map(Json)
}

#[delete("/renders/<id>")]
fn stop_render(app: &Shared, id: u32) -> Result<Status, Problem> {
    app.stop_render(id).map(|()| Status::NoContent)
}

#[get("/renders/<id>/file")]
async fn rendered(app: &Shared, id: u32) -> Result<LargeFile, Problem> {
    let (name, file) = work(app, move |app| app.rendered(id)).await?;
    Ok(LargeFile::new(file, &name))
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
    let voice = voice.ok_or_else(|| not_there(format!("The kit has no voice “{file}”.")))?;
    let bytes = work(app, move |_| Ok(wav(voice))).await?;
    Ok((ContentType::WAV, bytes))
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        export_info,
        export_midi,
        hits_csv,
        export_songs,
        export_wav,
        begin_render,
        render,
        stop_render,
        rendered,
        kit,
        sound,
    ]
}
