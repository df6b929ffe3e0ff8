//! `goldchip-server serve | worker | demo | password | types`.

use lexopt::prelude::*;
use server::crew::{self, Crew, HAND_WORD};
use server::db::Db;
use server::http::{House, Outer, serve};
use server::watch::Hub;
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
GOLDCHIP_HOSTS are names by which the house is called besides its address, GOLDCHIP_PROXY addresses of proxies before it.
serve listens on 127.0.0.1 unless --listen or GOLDCHIP_LISTEN says otherwise; GOLDCHIP_WORKERS (1) is how many plans it works on at once, GOLDCHIP_WORKER_MB (8192) what each
may use of memory.";

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
    let mut more = None::<String>;
    while let Some(arg) = parser.next().map_err(|e| e.to_string())? {
        let e = |e: lexopt::Error| e.to_string();
        match arg {
            Long("listen") => listen = parser.value().map_err(e)?.string().map_err(e)?,
            Long("web") => web = parser.value().map_err(e)?.into(),
            Long("parts") => parts = parser.value().map_err(e)?.into(),
            Value(v) if rest.is_none() => rest = Some(v.into()),
            Value(v) if word == HAND_WORD && more.is_none() => more = Some(v.to_string_lossy().into_owned()),
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
            let crew = crew(open(2)?, &reader)?;
            let stop = Arc::new(AtomicBool::new(false));
            let keeping = keep(crew, &stop);
            wait_for_signal()?;
            stop.store(true, Ordering::Relaxed);
            let _ = keeping.join();
            Ok(())
        }
        HAND_WORD => {
            let (name, kinds) = (rest.ok_or(USAGE)?, more.ok_or(USAGE)?);
            crew::end_with_parent();
            crew::limit_memory(memory()?);
            let db = open(3)?;
            let stop = Arc::new(AtomicBool::new(false));
            let heard = stop.clone();
            std::thread::spawn(move || {
                let _ = wait_for_signal();
                heard.store(true, Ordering::Relaxed);
            });
            intake::keep_ready(&reader, &[READER_WORD]);
            work::run(&db, &name.to_string_lossy(), crew::kind_of(&kinds), &reader, &stop);
            Ok(())
        }
        "serve" => {
            let address: SocketAddr = listen
                .parse()
                .map_err(|_| format!("{listen} is no address with a port; write for example 127.0.0.1:8080"))?;
            let outer = Outer::from_env()?;
            let db = open(16)?;
            if (!address.ip().is_loopback() || outer.is_set())
                && let Some(who) = db.with(|c| people::anybody_uses(c, demo::PASSWORD)).map_err(|e| format!("{e:?}"))?
            {
                return Err(format!(
                    "{who} still has the demo's password, and the house is open to more than this machine ({listen}, GOLDCHIP_HOSTS, GOLDCHIP_PROXY); give everybody a password of their own (goldchip-server password NAME), or listen on 127.0.0.1"
                ));
            }
            let listener = TcpListener::bind(address)
                .map_err(|e| format!("{listen} cannot be used ({e}); choose another port"))?;
            let at = listener.local_addr().map_err(|e| e.to_string())?;
            db.act(server::jobs::renew).map_err(|e| format!("{e:?}"))?;
            let stop = Arc::new(AtomicBool::new(false));
            intake::keep_ready(&reader, &[READER_WORD]);
            let keeping = keep(crew(db.clone(), &reader)?, &stop);
            let hub: Arc<Hub> = Arc::default();
            let (watcher, its_db, its_stop) = (hub.clone(), db.clone(), stop.clone());
            let watching = std::thread::spawn(move || watcher.watch(&its_db, &its_stop));
            let house = House { db, reader, web, outer, hub, readers: Arc::default() };
            println!("goldchip: listening on http://{at}");
            let done = actix_web::rt::System::new().block_on(serve(house, listener));
            stop.store(true, Ordering::Relaxed);
            let _ = (keeping.join(), watching.join());
            done.map_err(|e| e.to_string())
        }
        _ => Err(USAGE.into()),
    }
}

/// A number from the environment.
fn number(name: &str, usual: u64, most: u64) -> Result<u64, String> {
    match std::env::var(name) {
        Err(_) => Ok(usual),
        Ok(v) => v.parse().ok().filter(|n| *n <= most).ok_or_else(|| format!("{name}={v} is no number up to {most}")),
    }
}

/// Memory of a worker, bytes.
fn memory() -> Result<u64, String> {
    Ok(number("GOLDCHIP_WORKER_MB", 8192, 1 << 20)?.max(256) << 20)
}

fn crew(db: Db, program: &std::path::Path) -> Result<Crew, String> {
    memory()?;
    let plans = number("GOLDCHIP_WORKERS", 1, 64)? as usize;
    Ok(Crew { db, program: program.to_path_buf(), plans })
}

fn keep(crew: Crew, stop: &Arc<AtomicBool>) -> std::thread::JoinHandle<()> {
    let stop = stop.clone();
    std::thread::spawn(move || crew.keep(&stop))
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
