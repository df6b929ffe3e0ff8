//! `goldchip-machine`: the stand-in as a process.

use lexopt::prelude::*;
use std::net::TcpListener;
use std::process::ExitCode;

const USAGE: &str = "goldchip-machine [--listen 127.0.0.1:8190] [--seed N]
A simulated milling machine on this computer. It prints its address and answers lines of JSON (docs/machine.md).";

fn settled() -> Result<Option<(String, u64)>, lexopt::Error> {
    let (mut listen, mut seed) = ("127.0.0.1:8190".to_string(), fastrand::u64(..));
    let mut args = lexopt::Parser::from_env();
    while let Some(arg) = args.next()? {
        match arg {
            Long("listen") => listen = args.value()?.string()?,
            Long("seed") => seed = args.value()?.parse()?,
            Long("help") => return Ok(None),
            other => return Err(other.unexpected()),
        }
    }
    Ok(Some((listen, seed)))
}

fn main() -> ExitCode {
    let failed = |why: String| {
        eprintln!("goldchip-machine: {why}");
        ExitCode::from(2)
    };
    let (listen, seed) = match settled() {
        Ok(Some(s)) => s,
        Ok(None) => {
            println!("{USAGE}");
            return ExitCode::SUCCESS;
        }
        Err(e) => return failed(format!("{e}\n{USAGE}")),
    };
    if let Err(why) = machine::Link::to(&listen) {
        return failed(why);
    }
    let bound = TcpListener::bind(&listen).and_then(|l| Ok((l.local_addr()?, l)));
    let (at, listener) = match bound {
        Ok(b) => b,
        Err(e) => return failed(format!("{listen}: {e}; give another --listen")),
    };
    println!("{at}");
    match machine::serve::serve(&listener, seed) {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => failed(e.to_string()),
    }
}
