//! Pictures of the screens: `cargo run --release -p server --example shots -- http://127.0.0.1:8099 DIR [desk|machine] STEP…`. A step is a path
//! to go to (`/jobs/1/part`), `press:NAME`, `keys:TEXT`, `wait:CSS`, `js:SCRIPT`, `size:390x844` or `shot:NAME`.

#[path = "../tests/common/mod.rs"]
mod common;

use common::browser::Browser;
use std::path::Path;
use std::time::Duration;

#[tokio::main]
async fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [address, dir, theme, steps @ ..] = args.as_slice() else { panic!("ADDRESS DIR THEME STEP…") };
    let b = Browser::open(address).await;
    b.js(&format!("localStorage.setItem('goldchip-theme', '{theme}')")).await;
    if steps.first().is_none_or(|s| s != "out") {
        b.sign_in("ida", server::demo::PASSWORD).await;
        b.text("On the bench").await;
    }
    for s in steps {
        let (word, rest) = s.split_once(':').unwrap_or(("go", s));
        match word {
            "press" => b.press(rest).await,
            "keys" => b.keys(rest).await,
            "wait" => drop(b.find(rest).await),
            "js" => println!("{}", b.js(rest).await),
            "size" => {
                let (w, h) = rest.split_once('x').unwrap();
                b.size(w.parse().unwrap(), h.parse().unwrap()).await;
            }
            "sleep" => tokio::time::sleep(Duration::from_millis(rest.parse().unwrap())).await,
            "shot" => {
                if !["bench", "sign-in", "shop", "keeping", "card", "log"].iter().any(|page| rest.starts_with(page)) {
                    b.drawn().await;
                }
                tokio::time::sleep(Duration::from_millis(400)).await;
                b.shot(&Path::new(dir).join(format!("{rest}.png"))).await;
            }
            _ if s == "out" => {}
            _ => b.go(s).await,
        }
    }
    b.close().await;
}
