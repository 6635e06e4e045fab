//! Recorded loops, and own sounds of kits.

use super::*;
use crate::api::*;
use rocket::{get, post, put, routes};
use vivida_audio::Proposal;
use vivida_core::BarRange;

/// A loop of 20 minutes in stereo at 48 kHz and 24 bits, and more.
const LARGEST: ByteUnit = ByteUnit::Mebibyte(512);

#[post("/sounds?<file_name>", data = "<data>")]
async fn add_sound(app: &Shared, file_name: String, data: Data<'_>) -> Result<(Status, Json<SoundDetail>), Problem> {
    let file = songs::uploaded(data, &file_name, LARGEST).await?;
    let detail = long_work(app, move |app| app.add_sound(&file_name, file)).await?;
    Ok((Status::Created, Json(detail)))
}

/// A sample of a minute in stereo at 192 kHz and 32 bits.
const LARGEST_SAMPLE: ByteUnit = ByteUnit::Mebibyte(96);

#[post("/samples?<file_name>", data = "<data>")]
async fn add_sample(app: &Shared, file_name: String, data: Data<'_>) -> Result<(Status, Json<SampleDetail>), Problem> {
    let bytes = songs::limited(data, &file_name, LARGEST_SAMPLE).await?;
    let detail = long_work(app, move |app| app.add_sample(&file_name, bytes)).await?;
    Ok((Status::Created, Json(detail)))
}

#[get("/samples/<sound>")]
async fn sample(app: &Shared, sound: String) -> Result<(ContentType, Vec<u8>), Problem> {
    Ok((ContentType::WAV, work(app, move |app| app.sample_wav(&sound)).await?))
}

/// An SFZ file with all that it includes, and the names of its samples.
const LARGEST_FOLDER: ByteUnit = ByteUnit::Mebibyte(32);

#[post("/kits/samples", data = "<data>")]
async fn fit_samples(app: &Shared, data: Data<'_>) -> Answer<FittedSamples> {
    let request: FitSamples = body(data, &Limit(LARGEST_FOLDER)).await?;
    long_work(app, move |app| app.fit_samples(request)).await.map(Json)
}

#[get("/sounds/<sound>/onsets?<sensitivity>")]
async fn onsets(app: &Shared, sound: String, sensitivity: f64) -> Answer<OnsetColumns> {
    work(app, move |app| app.onsets_of(&sound, sensitivity)).await.map(Json)
}

#[get("/sounds/<sound>/proposals?<sensitivity>&<from>&<to>")]
async fn proposals(app: &Shared, sound: String, sensitivity: f64, from: f64, to: f64) -> Answer<Vec<Proposal>> {
    work(app, move |app| app.proposals_of(&sound, sensitivity, from, to)).await.map(Json)
}

#[get("/sounds/<sound>/peaks?<from>&<to>&<count>")]
async fn peaks(app: &Shared, sound: String, from: f64, to: f64, count: u32) -> Answer<PeakColumns> {
    work(app, move |app| app.peaks_of(&sound, from, to, count)).await.map(Json)
}

#[post("/loops", data = "<data>")]
async fn lay_loop(app: &Shared, data: Data<'_>, limit: Limit) -> Result<(Status, Json<LaidLoop>), Problem> {
    let request: LoopRequest = body(data, &limit).await?;
    let laid = work(app, move |app| app.lay_loop(&request)).await?;
    Ok((Status::Created, Json(laid)))
}

#[put("/parts/<id>/onsets", data = "<data>")]
async fn find_onsets(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Answer<PartDetail> {
    let request: OnsetsRequest = body(data, &limit).await?;
    work(app, move |app| app.find_onsets(id.part(), &request)).await.map(Json)
}

#[post("/parts/<id>/heard", data = "<data>")]
async fn hear(app: &Shared, id: Id, data: Data<'_>, limit: Limit) -> Result<(ContentType, Vec<u8>), Problem> {
    let request: HearRequest = body(data, &limit).await?;
    let bytes = work(app, move |app| app.hear(id.part(), request)).await?;
    Ok((ContentType::Binary, bytes))
}

#[post("/parts/<id>/by-the-kit")]
async fn loop_as_midi(app: &Shared, id: Id) -> Result<(Status, Json<RegroupedParts>), Problem> {
    let made = work(app, move |app| app.loop_as_midi(id.part())).await?;
    Ok((Status::Created, Json(made)))
}

#[get("/parts/<id>/loop.wav?<depth>&<written>&<bars>")]
async fn loop_wav(
    app: &Shared,
    id: Id,
    depth: Option<String>,
    written: Option<bool>,
    bars: Option<String>,
) -> Result<Download, Problem> {
    let depth = depth.as_deref().unwrap_or("24").parse().map_err(|why: String| Problem::field("depth", why))?;
    let bars: Option<BarRange> =
        bars.map(|bars| bars.parse()).transpose().map_err(|why: String| Problem::field("bars", why))?;
    let wanted = LoopFile { depth, written: written.unwrap_or(false), bars };
    let (name, bytes) = long_work(app, move |app| app.loop_wav(id.part(), wanted)).await?;
    Ok(Download { name: format!("{name}.wav"), content_type: ContentType::WAV, bytes })
}

#[get("/parts/<id>/onsets.csv")]
async fn onsets_csv(app: &Shared, id: Id) -> Result<Download, Problem> {
    let (name, bytes) = work(app, move |app| app.onsets_csv(id.part())).await?;
    Ok(Download { name: format!("{name}, onsets.csv"), content_type: ContentType::CSV, bytes })
}

pub(super) fn routes() -> Vec<Route> {
    routes![
        add_sound,
        add_sample,
        sample,
        fit_samples,
        onsets,
        proposals,
        peaks,
        lay_loop,
        find_onsets,
        hear,
        loop_as_midi,
        loop_wav,
        onsets_csv,
    ]
}
