//! Writes the demo songs anew: `cargo xtask demo-files`.

fn main() -> std::io::Result<()> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for song in vivida_demo::generate() {
        std::fs::write(folder.join(song.file_name), &song.bytes)?;
        println!("demo/{}: {} bytes", song.file_name, song.bytes.len());
    }
    Ok(())
}
