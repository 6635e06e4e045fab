//! Writes the demo songs anew: `cargo xtask demo-files`.

fn main() -> std::io::Result<()> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for song in vivida_demo::generate() {
        std::fs::write(folder.join(song.file_name), &song.bytes)?;
        println!("demo/{}: {} bytes", song.file_name, song.bytes.len());
    }
    std::fs::create_dir_all(folder.join("loops"))?;
    for one in vivida_demo::loops() {
        let path = folder.join("loops").join(one.file_name);
        std::fs::write(&path, &one.bytes)?;
        std::fs::write(path.with_extension("csv"), &one.onsets)?;
        println!("demo/loops/{}: {} bytes", one.file_name, one.bytes.len());
    }
    for (path, bytes) in vivida_demo::sample_folder() {
        let path = folder.join("Boathouse").join(path);
        std::fs::create_dir_all(path.parent().expect("it lies in a folder"))?;
        std::fs::write(&path, &bytes)?;
    }
    Ok(())
}
