//! The machine's side of the line.

use crate::control::Control;
use crate::protocol::{MOST_LINE, Order, Reply};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// So long a connection may say nothing.
const PATIENCE: Duration = Duration::from_secs(60);

/// Answer until the process ends.
///
/// # Errors
/// The listener is closed under it.
pub fn serve(listener: &TcpListener, seed: u64) -> std::io::Result<()> {
    let control = Arc::new(Mutex::new(Control::new(seed, Instant::now())));
    for s in listener.incoming() {
        let s = s?;
        let control = Arc::clone(&control);
        // One that breaks off is none of the machine's business.
        std::thread::spawn(move || drop(talk(&s, &control)));
    }
    Ok(())
}

fn talk(s: &TcpStream, control: &Mutex<Control>) -> std::io::Result<()> {
    s.set_read_timeout(Some(PATIENCE))?;
    s.set_nodelay(true)?;
    let mut from = BufReader::new(s.take(u64::MAX));
    let mut to = s;
    loop {
        let mut line = String::new();
        if (&mut from).take(MOST_LINE as u64).read_line(&mut line)? == 0 {
            return Ok(());
        }
        let reply = {
            let mut c = control.lock().unwrap_or_else(PoisonError::into_inner);
            let now = Instant::now();
            c.advance(now);
            if c.line_lost(now) {
                return Ok(());
            }
            match serde_json::from_str::<Order>(&line) {
                Ok(order) => c.order(&order, now),
                Err(e) => Reply { no: Some(format!("Not understood: {e}")), ..c.answer() },
            }
        };
        let mut out = serde_json::to_string(&reply)?;
        out.push('\n');
        to.write_all(out.as_bytes())?;
    }
}
