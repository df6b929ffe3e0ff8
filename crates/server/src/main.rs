//! `goldchip-server serve | worker | demo | password | types`.

use lexopt::prelude::*;
use server::db::Db;
use server::http::{House, serve};
use server::{READER_WORD, demo, people, types, work};
use std::net::{SocketAddr, TcpListener};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

const USAGE: &str = "usage: goldchip-server serve [--listen ADDRESS:PORT] [--web DIR]
       goldchip-server worker
       goldchip-server demo [--parts DIR]
       goldchip-server password NAME    (reads the new password from its input)
       goldchip-server types DIR
The database is named by GOLDCHIP_DATABASE (mysql://user@host:port/name?unix_socket=…), its password by GOLDCHIP_DATABASE_PASSWORD.
serve listens on 127.0.0.1 unless --listen or GOLDCHIP_LISTEN says otherwise; GOLDCHIP_WORKERS (1) is how many plans it works on at once.";

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    if args.first().is_some_and(|a| a == READER_WORD) {
        std::process::exit(intake::reader_main());
    }
    if let Err(why) = command() {
        eprintln!("goldchip-server: {why}");
        std::process::exit(2);
    }
}

fn command() -> Result<(), String> {
    let mut parser = lexopt::Parser::from_env();
    let word = match parser.next().map_err(|e| e.to_string())? {
        Some(Value(w)) => w.string().map_err(|e| e.to_string())?,
        _ => return Err(USAGE.into()),
    };
    let mut listen = std::env::var("GOLDCHIP_LISTEN").unwrap_or_else(|_| "127.0.0.1:8080".into());
    let (mut web, mut parts, mut rest) = (PathBuf::from("web/dist"), PathBuf::from("demo/parts"), None::<PathBuf>);
    while let Some(arg) = parser.next().map_err(|e| e.to_string())? {
        let e = |e: lexopt::Error| e.to_string();
        match arg {
            Long("listen") => listen = parser.value().map_err(e)?.string().map_err(e)?,
            Long("web") => web = parser.value().map_err(e)?.into(),
            Long("parts") => parts = parser.value().map_err(e)?.into(),
            Value(v) if rest.is_none() => rest = Some(v.into()),
            other => return Err(format!("{}; {USAGE}", other.unexpected())),
        }
    }
    let reader = std::env::current_exe().map_err(|e| format!("the program cannot find itself ({e})"))?;
    match word.as_str() {
        "types" => types::write(&rest.ok_or(USAGE)?),
        "demo" => {
            let n = demo::load(
                &open(2)?,
                &parts.with_file_name("rack.csv"),
                &[&parts.with_file_name("reading"), &parts],
                &reader,
            )
            .map_err(|e| format!("{e:?}"))?;
            println!("demo: {n} jobs made");
            Ok(())
        }
        "password" => {
            let name = rest.ok_or(USAGE)?.to_string_lossy().into_owned();
            let mut line = String::new();
            std::io::stdin().read_line(&mut line).map_err(|e| e.to_string())?;
            open(1)?
                .act(|c| people::set_password(c, &name, line.trim_end_matches(['\r', '\n'])))
                .map_err(|e| e.to_string())?;
            println!("{name} has a new password; open sessions were ended");
            Ok(())
        }
        "worker" => {
            let db = open(8)?;
            let stop = Arc::new(AtomicBool::new(false));
            let threads = start_workers(&db, &reader, &stop);
            wait_for_signal()?;
            stop.store(true, Ordering::Relaxed);
            threads.into_iter().for_each(|t| drop(t.join()));
            Ok(())
        }
        "serve" => {
            let address: SocketAddr = listen
                .parse()
                .map_err(|_| format!("{listen} is no address with a port; write for example 127.0.0.1:8080"))?;
            let db = open(16)?;
            if !address.ip().is_loopback()
                && let Some(who) = db.with(|c| people::anybody_uses(c, demo::PASSWORD)).map_err(|e| format!("{e:?}"))?
            {
                return Err(format!(
                    "{who} still has the demo's password, and {listen} is open to the network; give everybody a password of their own (goldchip-server password NAME), or listen on 127.0.0.1"
                ));
            }
            let listener = TcpListener::bind(address)
                .map_err(|e| format!("{listen} cannot be used ({e}); choose another port"))?;
            let at = listener.local_addr().map_err(|e| e.to_string())?;
            db.act(server::jobs::renew).map_err(|e| format!("{e:?}"))?;
            let stop = Arc::new(AtomicBool::new(false));
            let threads = start_workers(&db, &reader, &stop);
            println!("goldchip: listening on http://{at}");
            let done = actix_web::rt::System::new().block_on(serve(House { db, reader, web }, listener));
            stop.store(true, Ordering::Relaxed);
            threads.into_iter().for_each(|t| drop(t.join()));
            done.map_err(|e| e.to_string())
        }
        _ => Err(USAGE.into()),
    }
}

fn start_workers(db: &Db, reader: &std::path::Path, stop: &Arc<AtomicBool>) -> Vec<std::thread::JoinHandle<()>> {
    intake::keep_ready(reader, &[READER_WORD]);
    let n: usize = std::env::var("GOLDCHIP_WORKERS").ok().and_then(|v| v.parse().ok()).unwrap_or(1);
    (0..n.min(64))
        .map(|k| {
            let (db, reader, stop) = (db.clone(), reader.to_path_buf(), stop.clone());
            let name = format!("{}-{k}-{:08x}", std::process::id(), rand::random::<u32>());
            std::thread::spawn(move || work::run(&db, &name, &reader, &stop))
        })
        .collect()
}

fn wait_for_signal() -> Result<(), String> {
    actix_web::rt::System::new().block_on(async {
        use tokio::signal::unix::{SignalKind, signal};
        let mut term = signal(SignalKind::terminate()).map_err(|e| e.to_string())?;
        tokio::select! {
            _ = term.recv() => {}
            _ = tokio::signal::ctrl_c() => {}
        }
        Ok(())
    })
}

fn open(connections: u32) -> Result<Db, String> {
    let mut url = std::env::var("GOLDCHIP_DATABASE").map_err(|_| format!("GOLDCHIP_DATABASE is not set; {USAGE}"))?;
    if let Ok(password) = std::env::var("GOLDCHIP_DATABASE_PASSWORD") {
        // The part before the @ gets it; it never stands on a command line.
        url = url.replacen('@', &format!(":{password}@"), 1);
    }
    Db::open(&url, connections).map_err(|e| format!("{e:?}"))
}
