//! The smallest program that can be the guarded child: for tests.

fn main() {
    std::process::exit(intake::reader_main());
}
