//! The TypeScript types that are committed are those of the Rust types.

#[test]
fn the_generated_types_are_fresh() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/api/generated/types.ts");
    let types = vivida_server::typescript();
    if std::env::var_os("VIVIDA_WRITE_TYPES").is_some() {
        std::fs::write(path, &types).unwrap();
    }
    let committed = std::fs::read_to_string(path).unwrap_or_default();
    assert!(committed == types, "run `cargo xtask types` and commit {path}");
}
