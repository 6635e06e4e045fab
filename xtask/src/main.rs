fn main() {
    for song in vivida_demo::generate() {
        std::fs::write(format!("demo/{}", song.file_name), &song.bytes).unwrap();
    }
}
