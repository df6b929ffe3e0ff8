//! `goldchip-server serve | worker | demo | password | types`.

use lexopt::prelude::*;
use server::crew::{self, Crew, HAND_WORD};
use server::db::{Address, Db};
use server::http::{House, Outer, Readers, Source, Tls, serve};
use server::keeping::Keeper;
use server::lookers::{self, LOOK_WORD, Lookers};
use server::watch::Hub;
use server::{READER_WORD, backup, demo, people, types, work};
use std::net::{SocketAddr, TcpListener};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

const USAGE: &str = "usage: goldchip-server serve [--listen ADDRESS:PORT] [--web DIR]
       goldchip-server worker
       goldchip-server demo [--parts DIR]
       goldchip-server shop NAME OWNER  (a shop of one's own; reads the owner's password from its input)
       goldchip-server password NAME    (reads the new password from its input)
       goldchip-server backup FILE
       goldchip-server restore FILE     (into a database that holds nobody)
       goldchip-server types DIR
The database is named by GOLDCHIP_DATABASE (mysql://user@host:port/name, or file:PATH of a file with such a line, which may change), its password by
GOLDCHIP_DATABASE_PASSWORD. GOLDCHIP_LOG is a folder for the log (without it: the standard error).
GOLDCHIP_TLS is 'own' (certificates of the house's own authority) or CHAIN.pem,KEY.pem; GOLDCHIP_PLAIN an address that shows the way there without.
GOLDCHIP_BACKUPS is a folder for a backup a day, GOLDCHIP_DATA where the database lies (its disk is watched), GOLDCHIP_SPARE_MB (512) what is kept free there.
GOLDCHIP_HOSTS are names by which the house is called besides its address, GOLDCHIP_PROXY addresses of proxies before it.
serve listens on 127.0.0.1 unless --listen or GOLDCHIP_LISTEN says otherwise; GOLDCHIP_WORKERS (1) is how many plans it works on at once, GOLDCHIP_WORKER_MB (8192) what each
may use of memory.";

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    if args.first().is_some_and(|a| a == READER_WORD) {
        std::process::exit(intake::reader_main());
    }
    if let Err(why) = server::log::begin().and_then(|()| command()) {
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
            Value(v) if [HAND_WORD, "shop"].contains(&word.as_str()) && more.is_none() => {
                more = Some(v.to_string_lossy().into_owned())
            }
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
        "backup" => {
            let file = rest.ok_or(USAGE)?;
            let n = backup::make(&open(2)?, &database()?, &file)?;
            println!("{}: {:.1} MB", file.display(), n as f64 / f64::from(1 << 20));
            Ok(())
        }
        "restore" => {
            let file = rest.ok_or(USAGE)?;
            let m = backup::restore(&database()?, &file)?;
            println!("{} of {} was put back", file.display(), m.made_at);
            Ok(())
        }
        "shop" => {
            let (shop, owner) = (rest.ok_or(USAGE)?.to_string_lossy().into_owned(), more.ok_or(USAGE)?);
            let mut line = String::new();
            std::io::stdin().read_line(&mut line).map_err(|e| e.to_string())?;
            let data = shop::Shop::demo().map_err(|e| e.to_string())?;
            let make = |c: &mut server::db::Conn| {
                let id = demo::make_shop(c, &shop, &data)?;
                people::add(c, id, &owner, line.trim_end_matches(['\r', '\n']), true)
            };
            open(1)?.act(make).map_err(|e| e.to_string())?;
            println!("{owner} is the owner of {shop}; its machine, vise and crib are the demo's");
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
            crew::end_with_parent(&name.to_string_lossy());
            crew::limit_memory(memory()?);
            let only = crew::kind_of(&kinds);
            if only == Some(server::queue::Kind::Compare) {
                crew::step_back();
            }
            let db = join(3)?;
            let stop = Arc::new(AtomicBool::new(false));
            let heard = stop.clone();
            std::thread::spawn(move || {
                let _ = wait_for_signal();
                heard.store(true, Ordering::Relaxed);
            });
            intake::keep_ready(&reader, &[READER_WORD]);
            work::run(&db, &name.to_string_lossy(), only, &reader, &stop);
            Ok(())
        }
        LOOK_WORD => {
            crew::limit_memory(lookers::MEMORY);
            lookers::look_on(&join(2)?, &reader);
            Ok(())
        }
        "serve" => open_house(&listen, web, reader),
        _ => Err(USAGE.into()),
    }
}

/// So long after it listens a house hears signals at the latest.
const HEARS_SIGNALS: std::time::Duration = std::time::Duration::from_millis(500);

/// Serve until told to stop: the web, its workers, who watches and who keeps house.
fn open_house(listen: &str, web: PathBuf, reader: PathBuf) -> Result<(), String> {
    let address: SocketAddr =
        listen.parse().map_err(|_| format!("{listen} is no address with a port; write for example 127.0.0.1:8080"))?;
    let outer = Outer::from_env()?;
    let db = open(16)?;
    if (!address.ip().is_loopback() || outer.is_set())
        && let Some(who) = db.with(|c| people::anybody_uses(c, demo::PASSWORD)).map_err(|e| format!("{e:?}"))?
    {
        return Err(format!(
            "{who} still has the demo's password, and the house is open to more than this machine ({listen}, GOLDCHIP_HOSTS, GOLDCHIP_PROXY); give everybody a password of their own (goldchip-server password NAME), or listen on 127.0.0.1"
        ));
    }
    let listener =
        TcpListener::bind(address).map_err(|e| format!("{listen} cannot be used ({e}); choose another port"))?;
    let at = listener.local_addr().map_err(|e| e.to_string())?;
    let tls = match Source::from_env()? {
        Some(s) => Some(Tls::new(s, &outer, at.ip())?),
        None => None,
    };
    let plain = match std::env::var("GOLDCHIP_PLAIN").ok().filter(|p| !p.is_empty()) {
        Some(p) if tls.is_some() => {
            let l = TcpListener::bind(&p).map_err(|e| format!("GOLDCHIP_PLAIN={p} cannot be used ({e})"))?;
            println!("goldchip: its root is at http://{}", l.local_addr().map_err(|e| e.to_string())?);
            Some(l)
        }
        Some(_) => return Err("GOLDCHIP_PLAIN shows the way to https; set GOLDCHIP_TLS too".into()),
        None => None,
    };
    if let Some(root) = tls.as_ref().and_then(|t| t.root()) {
        println!("goldchip: SHA-256 of its root {}", root.print);
    }
    db.act(server::jobs::renew).map_err(|e| format!("{e:?}"))?;
    let stop = Arc::new(AtomicBool::new(false));
    intake::keep_ready(&reader, &[READER_WORD]);
    let keeping = keep(crew(db.clone(), &reader)?, &stop);
    let hub: Arc<Hub> = Arc::default();
    let (watcher, its_db, its_stop) = (hub.clone(), db.clone(), stop.clone());
    let watching = std::thread::spawn(move || watcher.watch(&its_db, &its_stop));
    let scheme = if tls.is_some() { "https" } else { "http" };
    let at_database = database()?;
    let backups = std::env::var_os("GOLDCHIP_BACKUPS").filter(|d| !d.is_empty()).map(PathBuf::from);
    let (keeper, its_stop) = (Keeper { db: db.clone(), address: at_database, backups }, stop.clone());
    let keeping_house = std::thread::spawn(move || {
        // Not before the house hears signals: one that ends it outright would leave a backup half made.
        std::thread::sleep(HEARS_SIGNALS);
        keeper.keep(&its_stop);
    });
    let lookers = Arc::new(Lookers::new(&reader));
    let machine = std::env::var("GOLDCHIP_MACHINE").ok().filter(|m| !m.is_empty());
    let machine = machine.map(|m| machine::Link::to(&m).map_err(|e| format!("GOLDCHIP_MACHINE: {e}"))).transpose()?;
    let house = House {
        db,
        web,
        outer,
        hub,
        readers: Arc::default(),
        looking: Arc::new(Readers::looks()),
        lookers: lookers.clone(),
        flights: Arc::default(),
        machine,
        tls,
    };
    println!("goldchip: listening on {scheme}://{at}");
    let done = actix_web::rt::System::new().block_on(serve(house, listener, plain));
    lookers.close();
    backup::close();
    stop.store(true, Ordering::Relaxed);
    let _ = (keeping.join(), watching.join(), keeping_house.join());
    done.map_err(|e| e.to_string())
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

fn database() -> Result<Address, String> {
    Address::from_env().map_err(|e| format!("{e}; {USAGE}"))
}

fn open(connections: u32) -> Result<Db, String> {
    Db::open(database()?, connections).map_err(|e| format!("{e:?}"))
}

/// Of a process that another one has started.
fn join(connections: u32) -> Result<Db, String> {
    Ok(Db::join(database()?, connections))
}
