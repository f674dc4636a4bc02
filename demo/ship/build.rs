//! A program without `std` says itself that it uses the library of C.

fn main() {
    println!("cargo:rustc-link-lib=c");
}
