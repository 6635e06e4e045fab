//! How long a shelf of 300 songs takes to be listed, by a server that has just started and again.

use criterion::{Criterion, criterion_group, criterion_main};
use rocket::http::{Header, Status};
use rocket::local::blocking::Client;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;
use vivida_server::App;
use vivida_store::Store;

// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const SONGS: u32 = 300;

fn server(path: &Path) -> Client {
    let app = App::new(Store::open(path).expect("the store opens"));
    Client::untracked(vivida_server::rocket(Arc::new(app), 0)).expect("the server starts")
}

fn fill(client: &Client) {
    let songs = vivida_demo::songs();
    for index in 0..SONGS {
        let song = &songs[index as usize % songs.len()];
        let path = format!("/api/v1/songs?file_name={index}.mid");
        let answer = client.post(path).header(Header::new("Host", "127.0.0.1:8347")).body(&song.bytes).dispatch();
        assert_eq!(answer.status(), Status::Created);
    }
}

/// Milliseconds.
fn list(client: &Client) -> f64 {
    let start = Instant::now();
    let answer = client.get("/api/v1/songs").header(Header::new("Host", "127.0.0.1:8347")).dispatch();
    assert_eq!(answer.status(), Status::Ok);
    assert!(answer.into_bytes().is_some_and(|body| body.len() > 10_000));
    start.elapsed().as_secs_f64() * 1000.0
}

fn shelf(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a folder can be made");
    let path = folder.path().join("vivida.sqlite");
    let mut client = server(&path);
    fill(&client);
    let mut cold: Vec<f64> = (0..5)
        .map(|_| {
            // Only one server at a time has the folder.
            let other = folder.path().join("none.sqlite");
            client = server(&other);
            client = server(&path);
            list(&client)
        })
        .collect();
    cold.sort_by(f64::total_cmp);
    let mut again: Vec<f64> = (0..21).map(|_| list(&client)).collect();
    again.sort_by(f64::total_cmp);
    criterion.bench_function("shelf of 300 songs, asked again", |bencher| bencher.iter(|| list(&client)));
    println!("{SONGS} songs listed cold: {:.0} ms median; {:.2} of the aimed 400 ms", cold[2], cold[2] / 400.0);
    println!("{SONGS} songs listed again: {:.1} ms median; {:.2} of the aimed 50 ms", again[10], again[10] / 50.0);
}

criterion_group!(benches, shelf);
criterion_main!(benches);
