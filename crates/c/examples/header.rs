//! Writes the header anew from the source: `cargo run -p gtrig-c --example header`.

fn main() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    let header = cbindgen::generate(folder).expect("the source can be read");
    header.write_to_file(folder.join("include/green_trigger.h"));
}
