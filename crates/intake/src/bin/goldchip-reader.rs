//! The smallest program that can be the guarded child: for tests.

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    std::process::exit(intake::reader_main(&args));
}
