//! A reader that tries: what surrounds it is out of its reach.

use intake::{Limits, Reading, probe, read_guarded};
use kernel::shape::Shape;
use std::net::TcpListener;
use std::os::fd::AsRawFd;
use std::path::Path;

const READER: &str = env!("CARGO_BIN_EXE_goldchip-reader");

#[test]
fn a_reader_finds_nothing_and_gets_nowhere() {
    // A socket that a careless program would leave open for its children, and a secret beside it.
    let socket = TcpListener::bind("127.0.0.1:0").unwrap();
    // SAFETY: the flag of a descriptor that is open here; no other thread reads the environment just now.
    unsafe {
        assert_eq!(libc::fcntl(socket.as_raw_fd(), libc::F_SETFD, 0), 0);
        std::env::set_var("GOLDCHIP_DATABASE_PASSWORD", "secret");
    }
    let p = probe(Path::new(READER), &[] as &[&str]).unwrap();
    assert!(p.environment.is_empty(), "{:?}", p.environment);
    assert!(p.open.iter().all(|(fd, socket)| *fd <= 2 && !socket), "{:?}", p.open);
    assert!(p.seccomp == 2 && p.no_new_privs && p.user != 0, "{p:?}");
    assert_eq!(p.tried.len(), 6);
    for (what, errno) in &p.tried {
        assert_eq!(*errno, Some(libc::EPERM), "{what}");
    }
    // Its own threads it has.
    assert!(p.threads);
}

#[test]
fn shut_in_it_reads_as_before() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    Shape::block([0.0; 3], [30.0, 20.0, 8.0]).unwrap().write_step(&file).unwrap();
    let m = read_guarded(Path::new(READER), &[] as &[&str], &file, &Reading::default(), &Limits::default()).unwrap();
    assert!((m.raw.solids[0].volume - 4800.0).abs() < 1e-6 && m.raw.faces.len() == 6);
    // A file that nobody else may read: it is handed over, not opened in there.
    use std::os::unix::fs::PermissionsExt;
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
    assert!(read_guarded(Path::new(READER), &[] as &[&str], &file, &Reading::default(), &Limits::default()).is_ok());
    // What is not there is told by whoever asked.
    let gone = read_guarded(
        Path::new(READER),
        &[] as &[&str],
        &dir.path().join("x.step"),
        &Reading::default(),
        &Limits::default(),
    );
    assert!(gone.unwrap_err().to_string().contains("cannot be opened"));
}
