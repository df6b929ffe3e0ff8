//! The line: real sockets, a process of its own, what is said wrong, and a line that is lost.

use machine::{Fault, Link, Mode, Order};
use shop::Shop;
use std::io::{BufRead, BufReader, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

struct Stand(Child, String);

impl Stand {
    fn new() -> Stand {
        let mut child = Command::new(env!("CARGO_BIN_EXE_goldchip-machine"))
            .args(["--listen", "127.0.0.1:0", "--seed", "7"])
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut at = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut at).unwrap();
        Stand(child, at.trim().into())
    }
}

impl Drop for Stand {
    fn drop(&mut self) {
        self.0.kill().unwrap();
        self.0.wait().unwrap();
    }
}

#[test]
fn a_process_is_spoken_to_and_a_lost_line_comes_back() {
    let stand = Stand::new();
    let link = Link::to(&stand.1).unwrap();
    let shop = Shop::demo().unwrap();
    let dialect = Box::new(shop.dialect(&shop.machine.dialect).unwrap().clone());
    link.ask(&Order::Take { who: "run 1".into(), machine: Box::new(shop.machine), dialect }).unwrap();
    link.ask(&Order::Load { name: "a".into(), text: "G21 G90\nG4 P600\nM30\n".into() }).unwrap();
    link.ask(&Order::Factor { times: 600.0 }).unwrap();
    link.ask(&Order::Fault { fault: Fault::Line { seconds: 0.6 } }).unwrap();
    let heard = Instant::now();
    let said = link.ask(&Order::State).unwrap_err();
    assert!(said.contains("not heard"), "{said}");
    while link.ask(&Order::State).is_err() {
        assert!(heard.elapsed() < Duration::from_secs(10));
        std::thread::sleep(Duration::from_millis(20));
    }
    assert!(heard.elapsed() > Duration::from_millis(500));
    link.ask(&Order::Start).unwrap();
    link.ask(&Order::Fault { fault: Fault::Line { seconds: 1.2 } }).unwrap();
    std::thread::sleep(Duration::from_millis(1400));
    let now = link.ask(&Order::State).unwrap().state;
    assert_eq!(now.mode, Mode::Done, "the machine goes on by itself: {now:?}");
}

#[test]
fn what_is_no_order_is_answered_and_the_line_stays() {
    let stand = Stand::new();
    let mut s = TcpStream::connect(&stand.1).unwrap();
    let mut from = BufReader::new(s.try_clone().unwrap());
    let mut talk = |line: &str| {
        s.write_all(line.as_bytes()).unwrap();
        let mut out = String::new();
        from.read_line(&mut out).unwrap();
        serde_json::from_str::<machine::Reply>(&out).unwrap()
    };
    for wrong in ["\n", "start\n", "{\"do\":\"jump\"}\n", "[]\n", "{\"do\":\"zero\",\"axis\":9,\"value\":1}\n"] {
        assert!(talk(wrong).no.is_some(), "{wrong}");
    }
    assert_eq!(talk("{\"do\":\"state\"}\n").no, None);
    assert!(Link::to("192.0.2.1:80").unwrap_err().contains("this computer"));
    assert!(Link::to("nowhere").unwrap_err().contains("no address"));
}
