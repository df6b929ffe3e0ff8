//! A simulated machine of a test's own, in its process.

use std::net::TcpListener;

/// Its address.
pub fn stand(seed: u64) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap().to_string();
    std::thread::spawn(move || machine::serve::serve(&listener, seed).unwrap());
    at
}
