//! The line to a machine, from the side of whoever gives orders.

use crate::protocol::{MOST_LINE, Order, Reply};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{SocketAddr, TcpStream, ToSocketAddrs};
use std::time::Duration;

/// A machine's address. Each order goes over a connection of its own, so a line that was lost is simply tried again.
#[derive(Debug, Clone)]
pub struct Link {
    address: SocketAddr,
    patience: Duration,
}

impl Link {
    /// To a machine on this computer: "127.0.0.1:8190".
    ///
    /// # Errors
    /// In words: it is no address, or not one of this computer.
    pub fn to(address: &str) -> Result<Link, String> {
        let found = address.to_socket_addrs().ok().and_then(|mut a| a.next());
        let address = found.ok_or_else(|| format!("'{address}' is no address of a machine; write 127.0.0.1:8190"))?;
        if !address.ip().is_loopback() {
            return Err(format!("A simulated machine stands on this computer only; {address} is another one"));
        }
        Ok(Link { address, patience: Duration::from_secs(5) })
    }
    /// Give an order.
    ///
    /// # Errors
    /// In words: the machine is not heard, or it refuses.
    pub fn ask(&self, order: &Order) -> Result<Reply, String> {
        let heard = self.exchange(order).map_err(|e| format!("The machine is not heard on its line: {e}"))?;
        match heard.no {
            Some(no) => Err(no),
            None => Ok(heard),
        }
    }
    /// Give an order; a refusal is in the answer.
    ///
    /// # Errors
    /// The line is lost.
    pub fn exchange(&self, order: &Order) -> std::io::Result<Reply> {
        let mut s = TcpStream::connect_timeout(&self.address, Duration::from_secs(2))?;
        s.set_nodelay(true)?;
        s.set_read_timeout(Some(self.patience))?;
        s.set_write_timeout(Some(self.patience))?;
        let mut line = serde_json::to_string(order)?;
        line.push('\n');
        s.write_all(line.as_bytes())?;
        let mut answer = String::new();
        BufReader::new(s.take(MOST_LINE as u64)).read_line(&mut answer)?;
        if answer.is_empty() {
            return Err(std::io::Error::new(std::io::ErrorKind::UnexpectedEof, "it was cut off"));
        }
        Ok(serde_json::from_str(&answer)?)
    }
}
