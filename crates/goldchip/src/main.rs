//! The one program: translation between the command line and the core.
fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    if args.first().map(String::as_str) == Some("read-model") {
        std::process::exit(kernel::reader_main(&args[1..]));
    }
}
