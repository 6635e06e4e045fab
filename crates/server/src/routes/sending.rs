//! Large files out: sent as fast as they are taken. Whoever does not take one costs a connection, and for a while a file.

use crate::app::locked;
use rocket::http::{ContentType, Header, Status};
use rocket::request::Request;
use rocket::response::{Responder, Response};
use rocket::tokio::io::{AsyncRead, AsyncSeek, ReadBuf};
use rocket::tokio::time::sleep;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::pin::Pin;
use std::sync::{Arc, Mutex};
use std::task::{Context, Poll};
use std::time::{Duration, Instant};

/// So many bytes are read and sent at once.
const PIECE: usize = 256 << 10;
/// A file that nobody takes anything of for so long is given up.
const PATIENCE: Duration = Duration::from_secs(120);

/// A file that is sent from its beginning, to be saved under a name. Several may be sent of the same one.
pub(super) struct LargeFile {
    file: Arc<Mutex<File>>,
    content_type: ContentType,
    disposition: Header<'static>,
}

impl LargeFile {
    pub fn new(file: Arc<Mutex<File>>, name: &str) -> LargeFile {
        let content_type = match name.rsplit_once('.') {
            Some((_, "wav")) => ContentType::WAV,
            _ => ContentType::ZIP,
        };
        LargeFile { file, content_type, disposition: super::attachment(name) }
    }

    pub fn own(file: File, name: &str) -> LargeFile {
        LargeFile::new(Arc::new(Mutex::new(file)), name)
    }
}

impl<'r> Responder<'r, 'static> for LargeFile {
    fn respond_to(self, _: &'r Request<'_>) -> rocket::response::Result<'static> {
        let size = locked(&self.file).metadata().map_err(|_| Status::InternalServerError)?.len();
        Response::build()
            .header(self.content_type)
            .header(self.disposition)
            .max_chunk_size(PIECE)
            .sized_body(size as usize, Sent::new(self.file))
            .ok()
    }
}

/// A file as it is sent.
struct Sent(Arc<Mutex<Sending>>);

struct Sending {
    /// Nothing where nobody took it.
    file: Option<Arc<Mutex<File>>>,
    at: u64,
    last: Instant,
}

impl Sent {
    fn new(file: Arc<Mutex<File>>) -> Sent {
        let sending = Arc::new(Mutex::new(Sending { file: Some(file), at: 0, last: Instant::now() }));
        let watched = Arc::downgrade(&sending);
        rocket::tokio::spawn(async move {
            loop {
                sleep(PATIENCE / 4).await;
                let Some(sending) = watched.upgrade() else { break };
                let mut sending = locked(&sending);
                if sending.last.elapsed() > PATIENCE {
                    sending.file = None;
                    break;
                }
            }
        });
        Sent(sending)
    }
}

impl Sending {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        self.last = Instant::now();
        let Some(file) = &self.file else { return Err(io::ErrorKind::TimedOut.into()) };
        let mut file = locked(file);
        file.seek(SeekFrom::Start(self.at))?;
        let read = file.read(into)?;
        self.at += read as u64;
        Ok(read)
    }
}

/// Files were written a moment ago, and a piece is read in less time than it would take to have another thread do it.
impl AsyncRead for Sent {
    fn poll_read(self: Pin<&mut Self>, _: &mut Context<'_>, buffer: &mut ReadBuf<'_>) -> Poll<io::Result<()>> {
        let read = locked(&self.0).read(buffer.initialize_unfilled());
        Poll::Ready(read.map(|read| buffer.advance(read)))
    }
}

/// Its size is known, so nobody looks for the end.
impl AsyncSeek for Sent {
    fn start_seek(self: Pin<&mut Self>, _: SeekFrom) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn poll_complete(self: Pin<&mut Self>, _: &mut Context<'_>) -> Poll<io::Result<u64>> {
        Poll::Ready(Err(io::ErrorKind::Unsupported.into()))
    }
}
