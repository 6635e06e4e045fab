//! WAV files that are being made: each has a number, says how far it is, can be stopped, and is fetched when it
//! is ready. A file lies in the system's folder for temporary files, under no name, and is gone with the program.

use crate::api::{NewRender, RenderState, Wanted};
use crate::app::{Answer, App, locked};
use crate::exports::{Rendering, Zip};
use crate::problem::Problem;
use rocket::http::Status;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufWriter, ErrorKind, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use vivida_store::SongId;

/// So many are kept; the oldest goes first.
const MOST: usize = 8;

/// All that are being made, and those that are ready.
#[derive(Default)]
pub(crate) struct Renders {
    all: Mutex<Numbered>,
    /// One is made at a time: the two passes over a song keep a core busy.
    turn: Mutex<()>,
}

#[derive(Default)]
struct Numbered {
    last: u32,
    renders: BTreeMap<u32, Arc<Render>>,
}

pub(crate) struct Render {
    name: String,
    /// Thousandths.
    done: AtomicU64,
    stopped: AtomicBool,
    /// Its turn has come.
    begun: AtomicBool,
    result: Mutex<Option<Result<Arc<Mutex<File>>, String>>>,
}

impl Render {
    fn state(&self, id: u32, ahead: u32) -> RenderState {
        let result = locked(&self.result);
        RenderState {
            id,
            ahead,
            done: self.done.load(Ordering::Relaxed) as f64 / 1000.0,
            ready: matches!(&*result, Some(Ok(_))),
            failed: match &*result {
                Some(Err(reason)) => Some(reason.clone()),
                _ => None,
            },
        }
    }

    fn make(&self, rendering: &Rendering) {
        self.begun.store(true, Ordering::Relaxed);
        let files = 1.max(rendering.stems.len());
        let go_on = |file: usize, share: f64| {
            let done = (file as f64 + share) / files as f64;
            self.done.store((done * 1000.0) as u64, Ordering::Relaxed);
            !self.stopped.load(Ordering::Relaxed)
        };
        let made = || -> std::io::Result<File> {
            let mut file = tempfile::tempfile()?;
            let mut out = BufWriter::with_capacity(1 << 16, &mut file);
            if rendering.stems.is_empty() {
                rendering.mix.write(&mut out, |share| go_on(0, share))?;
                out.flush()?;
                drop(out);
                return Ok(file);
            }
            let mut zip = Zip::new(out);
            for (place, (name, stem)) in rendering.stems.iter().enumerate() {
                zip.begin(name, "wav")?;
                stem.write(&mut zip, |share| go_on(place, share))?;
            }
            zip.finish()?.flush()?;
            Ok(file)
        };
        // Whoever waits is told, also of a fault.
        let fault = |_| Err(std::io::Error::other("a fault of Vivida's own"));
        let made = catch_unwind(AssertUnwindSafe(made)).unwrap_or_else(fault).map_err(|error| match error.kind() {
            ErrorKind::Interrupted => "It was stopped.".to_owned(),
            ErrorKind::StorageFull => "The disk is full; make room, and export again.".to_owned(),
            _ => format!("The file could not be written: {error}."),
        });
        *locked(&self.result) = Some(made.map(|file| Arc::new(Mutex::new(file))));
    }
}

impl App {
    /// Begins to make a WAV file of a song.
    pub(crate) fn begin_render(self: &Arc<App>, request: &NewRender) -> Answer<RenderState> {
        let rendering = self.mixdown(request.song, request.written, &request.wanted)?;
        let ending = if rendering.stems.is_empty() { "wav" } else { "zip" };
        let render = Arc::new(Render {
            name: format!("{}.{ending}", rendering.name),
            done: AtomicU64::new(0),
            stopped: AtomicBool::new(false),
            begun: AtomicBool::new(false),
            result: Mutex::new(None),
        });
        let id = {
            let mut all = locked(&self.renders.all);
            all.last += 1;
            let id = all.last;
            all.renders.insert(id, render.clone());
            while all.renders.len() > MOST {
                if let Some((_, oldest)) = all.renders.pop_first() {
                    oldest.stopped.store(true, Ordering::Relaxed);
                }
            }
            id
        };
        let state = render.state(id, self.ahead_of(id));
        let app = Arc::clone(self);
        std::thread::spawn(move || {
            let _turn = locked(&app.renders.turn);
            render.make(&rendering);
        });
        Ok(state)
    }

    /// How many are made before a render has its turn.
    fn ahead_of(&self, id: u32) -> u32 {
        let all = locked(&self.renders.all);
        let is_waiting = |render: &&Arc<Render>| !render.begun.load(Ordering::Relaxed);
        let waits = all.renders.get(&id).is_some_and(|own| is_waiting(&own));
        let unfinished = |render: &&Arc<Render>| locked(&render.result).is_none();
        if waits { all.renders.range(..id).map(|(_, render)| render).filter(unfinished).count() as u32 } else { 0 }
    }

    /// A song as a WAV file.
    pub(crate) fn export_wav(&self, song: SongId, as_written: bool) -> Answer<(String, File)> {
        let Rendering { name, mix, .. } = self.mixdown(song, as_written, &Wanted::default())?;
        let made = || -> std::io::Result<File> {
            let mut file = tempfile::tempfile()?;
            let mut out = BufWriter::with_capacity(1 << 16, &mut file);
            mix.write(&mut out, |_| true)?;
            out.flush()?;
            drop(out);
            Ok(file)
        };
        let file = made().map_err(|error| match error.kind() {
            ErrorKind::StorageFull | ErrorKind::QuotaExceeded => Problem::full(),
            _ => {
                let detail = format!("The file could not be written: {error}.");
                Problem::new(Status::InternalServerError, "Not made", detail)
            }
        })?;
        Ok((name, file))
    }

    fn render(&self, id: u32) -> Answer<Arc<Render>> {
        let found = locked(&self.renders.all).renders.get(&id).cloned();
        let gone = || Problem::new(Status::NotFound, "Not there", format!("There is no export {id}; begin it again."));
        found.ok_or_else(gone)
    }

    pub(crate) fn render_state(&self, id: u32) -> Answer<RenderState> {
        Ok(self.render(id)?.state(id, self.ahead_of(id)))
    }

    /// Stops it, or throws away what was made.
    pub(crate) fn stop_render(&self, id: u32) -> Answer<()> {
        self.render(id)?.stopped.store(true, Ordering::Relaxed);
        locked(&self.renders.all).renders.remove(&id);
        Ok(())
    }

    /// The name of a file that is ready, and the file.
    pub(crate) fn rendered(&self, id: u32) -> Answer<(String, Arc<Mutex<File>>)> {
        let render = self.render(id)?;
        let not_yet = || Problem::new(Status::Conflict, "Not ready", "This export is not ready yet.");
        let result = locked(&render.result);
        match &*result {
            Some(Ok(file)) => Ok((render.name.clone(), file.clone())),
            Some(Err(reason)) => Err(Problem::new(Status::Conflict, "Not made", reason.clone())),
            None => Err(not_yet()),
        }
    }
}
