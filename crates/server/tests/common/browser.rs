//! A browser of one's own, driven through chromedriver.

use serde_json::json;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

pub struct Browser {
    pub page: WebDriver,
    address: String,
    driver: Child,
    dir: tempfile::TempDir,
}

/// How long anything may take before a test gives up, s.
const PATIENCE: u64 = 40;
/// The same for a plan: those of the demo take some ten seconds on two idle cores, but tests run beside one another.
const FOR_A_PLAN: u64 = 300;

impl Browser {
    /// Opens it at a house's address.
    pub async fn open(address: &str) -> Browser {
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver is installed (scripts/setup.sh)");
        let mut lines = BufReader::new(driver.stdout.take().unwrap()).lines();
        let port: u16 = loop {
            let line = lines.next().expect("chromedriver says its port").unwrap();
            if let Some(p) = line.strip_prefix("ChromeDriver was started successfully on port ") {
                break p.trim_end_matches('.').parse().unwrap();
            }
        };
        std::thread::spawn(move || lines.for_each(drop));
        let dir = tempfile::tempdir().unwrap();
        let mut caps = DesiredCapabilities::chrome();
        for a in [
            "--headless=new",
            "--no-sandbox",
            "--disable-dev-shm-usage",
            "--window-size=1280,800",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--use-gl=angle",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--no-first-run",
        ] {
            caps.add_arg(a).unwrap();
        }
        caps.add_arg(&format!("--user-data-dir={}", dir.path().display())).unwrap();
        let page = WebDriver::new(format!("http://127.0.0.1:{port}"), caps).await.unwrap();
        page.cdp().emulation().set_device_metrics_override(1280, 800, 1.0, false).await.unwrap();
        let b = Browser { page, address: address.into(), driver, dir };
        b.go("/").await;
        b
    }

    pub async fn go(&self, path: &str) {
        self.page.goto(format!("{}{path}", self.address)).await.unwrap();
    }

    /// Signs in as a person of the demo.
    pub async fn sign_in(&self, name: &str, password: &str) {
        self.find("input[name=name]").await.send_keys(name).await.unwrap();
        self.find("input[name=password]").await.send_keys(password).await.unwrap();
        self.find("button[type=submit]").await.click().await.unwrap();
    }

    /// Waits for an element.
    pub async fn find(&self, css: &str) -> WebElement {
        self.until(PATIENCE, css, || async { self.page.find(By::Css(css)).await.ok() }).await
    }

    /// Waits for a button with this name and presses it.
    pub async fn press(&self, name: &str) {
        let path = format!("//button[starts-with(normalize-space(), '{name}') or starts-with(@aria-label, '{name}')]");
        let b = self.until(PATIENCE, name, || async { self.page.find(By::XPath(&path)).await.ok() }).await;
        b.scroll_into_view().await.unwrap();
        b.click().await.unwrap();
    }

    /// Waits until a text stands somewhere on the page.
    pub async fn text(&self, words: &str) {
        self.until(PATIENCE, words, || async { self.words().await.contains(words).then_some(()) }).await;
    }

    /// All text of the page.
    pub async fn words(&self) -> String {
        self.js("return document.body.innerText").await.as_str().unwrap_or_default().to_string()
    }

    pub async fn js(&self, script: &str) -> serde_json::Value {
        self.page.execute(script, vec![]).await.unwrap().json().clone()
    }

    /// Keys to whatever has the focus.
    pub async fn keys(&self, keys: &str) {
        self.page.action_chain().send_keys(keys).perform().await.unwrap();
    }

    /// Waits until a script gives something else than null or false.
    pub async fn js_until(&self, script: &str) -> serde_json::Value {
        self.until(PATIENCE, script, || async {
            let v = self.js(script).await;
            (!v.is_null() && v != json!(false)).then_some(v)
        })
        .await
    }

    /// The same for what hangs on a plan.
    pub async fn js_until_slow(&self, script: &str) {
        self.until(FOR_A_PLAN, script, || async { (self.js(script).await == json!(true)).then_some(()) }).await;
    }

    async fn until<T, F: Future<Output = Option<T>>>(&self, patience: u64, what: &str, f: impl Fn() -> F) -> T {
        let start = Instant::now();
        loop {
            if let Some(v) = f().await {
                return v;
            }
            if start.elapsed() > Duration::from_secs(patience) {
                panic!("waited {patience} s for: {what}\nThe page says:\n{}", self.words().await);
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Waits until the newest plan is worked out and on the page.
    pub async fn fresh(&self, revision: i64) {
        let css = format!("[data-fresh=true][data-revision='{revision}'] section.card");
        self.until(FOR_A_PLAN, &css, || async { self.page.find(By::Css(&css)).await.ok() }).await;
    }

    /// Something that hangs on a plan.
    pub async fn find_slow(&self, css: &str) {
        self.until(FOR_A_PLAN, css, || async { self.page.find(By::Css(css)).await.ok() }).await;
    }

    /// The stage has drawn what it is to show.
    pub async fn drawn(&self) {
        self.js_until("const s = document.querySelector('[data-stage]'); return s && s.dataset.ready === 'true'").await;
    }

    /// Another size of the page, px: 390 × 844 is a phone.
    pub async fn size(&self, wide: u32, high: u32) {
        let (w, h) = (u64::from(wide), u64::from(high));
        let mobile = wide < 600;
        let m = json!({"width": w, "height": h, "deviceScaleFactor": 1, "mobile": mobile});
        self.page.cdp().send_raw("Emulation.setDeviceMetricsOverride", m).await.unwrap();
    }

    pub async fn shot(&self, to: &Path) {
        self.page.screenshot(to).await.unwrap();
    }

    pub async fn close(mut self) {
        let _ = self.page.clone().quit().await;
        self.end();
    }

    /// A test that failed has not closed its browser: everything that runs on this browser's own directory ends with it.
    fn end(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        let mark = self.dir.path().display().to_string();
        for p in std::fs::read_dir("/proc").into_iter().flatten().flatten() {
            let words = std::fs::read(p.path().join("cmdline")).unwrap_or_default();
            if String::from_utf8_lossy(&words).contains(&mark) {
                let _ = Command::new("kill").arg(p.file_name()).status();
            }
        }
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        self.end();
    }
}
