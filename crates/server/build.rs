//! The front end is carried inside the binary: another bundle is another build.

fn main() {
    println!("cargo::rerun-if-changed=../../web/dist");
}
