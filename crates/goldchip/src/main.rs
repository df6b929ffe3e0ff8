//! The one program: translation between the command line and the core.
//!
//! Exit codes: 0 proved (warnings allowed); 1 internal or input/output failure; 2 arguments, model or program refused, the last
//! line of standard error says why and what to do; 3 planned, but findings that forbid cutting remain.

mod cli;
mod programs;
mod rehearse;

fn main() {
    let args: Vec<std::ffi::OsString> = std::env::args_os().skip(1).collect();
    if args.first().is_some_and(|a| a == cli::READER_WORD) {
        std::process::exit(intake::reader_main());
    }
    std::process::exit(cli::run(args));
}
