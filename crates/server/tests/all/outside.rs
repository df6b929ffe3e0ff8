//! What the house is like from outside: its log, its refusals, its patience, its encryption.

use crate::common::person::{PRIVATE, Person, body, peopled, peopled_with, refusal};
use crate::common::{House, part};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use serde_json::{Value, json};
use server::demo::PASSWORD;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};
use ureq::Agent;
use ureq::tls::{Certificate, RootCerts, TlsConfig};

/// One line a request, with whose it was; a fault of ours stands under the number that the screen shows; and no secrets.
#[test]
fn the_log() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    assert_eq!(refusal(ida.get("/api/jobs/999")).0, 404);
    refusal(Person::nobody(&h).get("/api/me"));
    refusal(ida.sign_in("ida", "not-her-password"));
    // A model that is gone is our own fault.
    h.base()
        .db
        .act(|c| {
            use diesel::prelude::*;
            use server::db::schema::blobs::dsl;
            Ok(diesel::delete(dsl::blobs.filter(dsl::name.like("read%").or(dsl::name.like("model%")))).execute(c)?)
        })
        .unwrap();
    let r = ida.get(&format!("/api/jobs/{job}/mesh"));
    let id = r.headers().get("x-request-id").unwrap().to_str().unwrap().to_string();
    let (status, why) = (r.status().as_u16(), body(r));
    assert_eq!((status, why["id"].as_str()), (500, Some(id.as_str())), "{why}");
    assert!(why["why"].as_str().unwrap().contains(&id));
    ida.agent.delete(format!("{}/api/people/bruno", h.address)).call().unwrap();
    let log = h.log();
    let line = |words: &[&str]| {
        let found: Vec<&str> = log.lines().filter(|l| words.iter().all(|w| l.contains(w))).collect();
        assert_eq!(found.len(), 1, "{words:?} in\n{log}");
        found[0]
    };
    let me = ida.json("/api/me")["id"].to_string();
    for part in [&format!("person={me}"), "method=GET", "code=500", "ms="] {
        assert!(line(&[&format!("id={id}"), " request"]).contains(part), "{part}");
    }
    assert!(line(&["ERROR", &id]).contains("is gone"));
    assert!(line(&["/api/jobs/999"]).contains("code=404"));
    assert!(line(&["path=/api/me", "code=401"]).contains("person=-"));
    for secret in [PASSWORD, "not-her-password", "spider-plate", "goldchip-8", "bruno"] {
        assert!(!log.contains(secret), "{secret} stands in the log");
    }
}

/// Whatever is asked, a refusal is JSON with a code.
#[test]
fn every_refusal_is_of_one_kind() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let url = |p: &str| format!("{}{p}", h.address);
    let typed = |kind: &str, text: &str| {
        ida.agent.post(url("/api/rack")).header("content-type", kind).send(text.as_bytes()).unwrap()
    };
    let long = format!("{{\"x\": \"{}\"}}", "y".repeat(70 << 10));
    for (what, r, status, code) in [
        ("unknown address", ida.get("/api/nothing"), 404, "no_such"),
        ("a word for a number", ida.get("/api/jobs/five"), 404, "no_such"),
        ("another way of asking", ida.agent.delete(url("/api/language")).call().unwrap(), 405, "other_method"),
        ("no query", ida.agent.post(url("/api/jobs")).send("x").unwrap(), 400, "bad"),
        ("no JSON", typed("application/json", "{"), 400, "bad"),
        ("another kind", typed("text/plain", "{}"), 400, "bad"),
        ("too long", typed("application/json", &long), 413, "too_large"),
        ("another shape", typed("application/json", "{\"about\": 3}"), 400, "bad"),
    ] {
        assert_eq!(r.headers().get("x-content-type-options").unwrap(), "nosniff", "{what}");
        let (s, c, why) = refusal(r);
        assert_eq!((s, c.as_str()), (status, code), "{what}: {why}");
    }
}

/// A body that trickles or stands still holds nothing for long, and is told why it was broken off.
#[test]
fn slow_bodies_are_broken_off() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let jar = ida.agent.cookie_jar_lock();
    let cookies: Vec<String> = jar.iter().map(|c| format!("{}={}", c.name(), c.value())).collect();
    drop(jar);
    let host = h.address.strip_prefix("http://").unwrap();
    let mut s = TcpStream::connect(host).unwrap();
    let head = format!(
        "POST /api/jobs?file=x.step HTTP/1.1\r\nHost: {host}\r\nCookie: {}\r\nContent-Length: 1000000\r\n\r\nISO-10303-21;",
        cookies.join("; ")
    );
    s.write_all(head.as_bytes()).unwrap();
    let start = Instant::now();
    s.set_read_timeout(Some(Duration::from_secs(60))).unwrap();
    let mut answer = String::new();
    let mut bytes = [0; 4096];
    while !answer.contains("slow") {
        let n = s.read(&mut bytes).unwrap();
        assert!(n > 0, "{answer}");
        answer += &String::from_utf8_lossy(&bytes[..n]);
    }
    assert!(answer.starts_with("HTTP/1.1 408"), "{answer}");
    let t = start.elapsed().as_secs_f64();
    println!("a body that stands still is broken off after {t:.1} s");
    assert!((9.0..20.0).contains(&t));
    assert_eq!(ida.json("/api/jobs")["jobs"], json!([]));
}

/// Somebody who trusts this certificate and nothing else.
fn trusting(pem: &str, at: &str) -> Person {
    let root = Certificate::from_pem(pem.as_bytes()).unwrap();
    let tls = TlsConfig::builder().root_certs(RootCerts::from(vec![root])).build();
    let config = Agent::config_builder().http_status_as_error(false).max_redirects(0).tls_config(tls);
    Person { agent: config.build().into(), at: at.into() }
}

fn plain_address(h: &House) -> String {
    h.said.iter().find_map(|l| l.strip_prefix("goldchip: its root is at ")).unwrap().to_string()
}

/// Without a proxy: the house has an authority of its own. Whoever installs its root speaks with it encrypted; whoever does not is warned.
#[test]
fn encrypted_by_an_authority_of_its_own() {
    let dir = tempfile::tempdir().unwrap();
    let data = dir.path().to_str().unwrap();
    let env = [("GOLDCHIP_TLS", "own"), ("GOLDCHIP_DATA", data), ("GOLDCHIP_PLAIN", "127.0.0.1:0")];
    let h = peopled_with(0, &env);
    assert!(h.address.starts_with("https://127.0.0.1:"));
    // The way to it, without encryption: the root with its fingerprint, and nothing else.
    let plain = Person::nobody(&h);
    let at = plain_address(&h);
    let take = |path: &str| plain.agent.get(format!("{at}{path}")).call().unwrap();
    let pem = take("/authority.crt").body_mut().read_to_string().unwrap();
    let page = take("/").body_mut().read_to_string().unwrap();
    let print = h.said.iter().find_map(|l| l.strip_prefix("goldchip: SHA-256 of its root ")).unwrap();
    assert!(print.len() == 95 && page.contains(print), "{print}");
    let agent: Agent = Agent::config_builder().http_status_as_error(false).max_redirects(0).build().into();
    let over = agent.get(format!("{at}/api/me?x=1")).call().unwrap();
    assert_eq!(over.status(), 308);
    assert_eq!(over.headers().get("location").unwrap(), &format!("{}/api/me?x=1", h.address));
    // Not to a stranger's name.
    let strange = agent.get(format!("{at}/api/me")).header("host", "evil.example").call().unwrap();
    assert_eq!(strange.status(), 421);

    let ida = trusting(&pem, &h.address);
    let r = ida.sign_in("ida", PRIVATE);
    assert_eq!(r.status(), 204);
    assert_eq!(r.headers().get("strict-transport-security").unwrap(), "max-age=31536000");
    for c in r.headers().get_all("set-cookie") {
        assert!(c.to_str().unwrap().contains("Secure"), "{c:?}");
    }
    assert_eq!(ida.json("/api/me")["name"], "ida");
    let job = ida.job("spider-plate.step");
    assert_eq!(ida.state(job)["card"]["title"], "Spider plate");
    // By every name of the house.
    let port = h.address.rsplit_once(':').unwrap().1;
    assert_eq!(trusting(&pem, &format!("https://localhost:{port}")).get("/api/me").status(), 401);
    let known =
        Certificate::from_pem(rcgen::generate_simple_self_signed(["x".into()]).unwrap().cert.pem().as_bytes()).unwrap();
    let tls = TlsConfig::builder().root_certs(RootCerts::from(vec![known])).build();
    let stranger: Agent = Agent::config_builder().tls_config(tls).build().into();
    assert!(stranger.get(format!("{}/api/me", h.address)).call().is_err(), "whoever has not installed it is warned");
    // Its key is its own.
    use std::os::unix::fs::PermissionsExt;
    let key = dir.path().join("authority/root-key.pem");
    assert_eq!(std::fs::metadata(&key).unwrap().permissions().mode() & 0o777, 0o600);
    // Opened again it has the same root, as long as no name comes that it may not sign.
    let again = House::with_env(h.base().clone(), 0, &env);
    assert_eq!(trusting(&pem, &again.address).get("/api/me").status(), 401);
    let named = [&env[..], &[("GOLDCHIP_HOSTS", "mill.shop")]].concat();
    let named = House::with_env(h.base().clone(), 0, &named);
    let fresh = std::fs::read_to_string(dir.path().join("authority/root.pem")).unwrap();
    assert_ne!(fresh, pem);
    assert_eq!(trusting(&fresh, &named.address).get("/api/me").status(), 401);

    // The root vouches for nobody else, even with its key in hand (name constraints).
    let signer = rcgen::KeyPair::from_pem(&std::fs::read_to_string(&key).unwrap()).unwrap();
    let mut authority = rcgen::CertificateParams::default();
    authority.distinguished_name.push(rcgen::DnType::CommonName, "Gold Chip, this house's own authority");
    let issuer = rcgen::Issuer::new(authority, signer);
    let trusted = |names: &[&str]| {
        let asked = names[0];
        let (leaf, names) =
            (rcgen::KeyPair::generate().unwrap(), names.iter().map(|n| n.to_string()).collect::<Vec<_>>());
        let cert = rcgen::CertificateParams::new(names).unwrap().signed_by(&leaf, &issuer).unwrap();
        let root = CertificateDer::from_pem_slice(fresh.as_bytes()).unwrap();
        let mut roots = rustls::RootCertStore::empty();
        roots.add(root).unwrap();
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let verifier =
            rustls::client::WebPkiServerVerifier::builder_with_provider(roots.into(), provider).build().unwrap();
        use rustls::client::danger::ServerCertVerifier;
        let name = |n: &str| rustls::pki_types::ServerName::try_from(n.to_string()).unwrap();
        verifier.verify_server_cert(cert.der(), &[], &name(asked), &[], rustls::pki_types::UnixTime::now()).is_ok()
    };
    assert!(trusted(&["mill.shop"]));
    assert!(!trusted(&["bank.example", "mill.shop"]));
}

/// Without a proxy: a certificate that was given, and what cannot be one is refused before the house opens.
#[test]
fn encrypted_by_a_certificate_that_was_given() {
    let dir = tempfile::tempdir().unwrap();
    let made = rcgen::generate_simple_self_signed(["127.0.0.1".to_string(), "mill.shop".into()]).unwrap();
    let (chain, key) = (dir.path().join("chain.pem"), dir.path().join("key.pem"));
    std::fs::write(&chain, made.cert.pem()).unwrap();
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    let pair = format!("{},{}", chain.display(), key.display());
    let h = peopled_with(0, &[("GOLDCHIP_TLS", &pair), ("GOLDCHIP_HOSTS", "mill.shop")]);
    let ida = trusting(&made.cert.pem(), &h.address);
    assert_eq!(ida.sign_in("ida", PRIVATE).status(), 204);
    assert_eq!(refusal(ida.get("/api/nothing")).0, 404);
    assert_eq!(ida.get("/authority").status(), 404, "it has no root of its own to give");

    let other = rcgen::generate_simple_self_signed(["127.0.0.1".to_string()]).unwrap();
    let wrong = dir.path().join("wrong.pem");
    std::fs::write(&wrong, other.signing_key.serialize_pem()).unwrap();
    let refused = |tls: &str| {
        let base = h.base();
        let out = std::process::Command::new(crate::common::program())
            .args(["serve", "--listen", "127.0.0.1:0"])
            .env("GOLDCHIP_DATABASE", &base.url)
            .env("GOLDCHIP_TLS", tls)
            .output()
            .unwrap();
        assert_eq!(out.status.code(), Some(2), "{tls}");
        String::from_utf8_lossy(&out.stderr).to_string()
    };
    assert!(refused(&format!("{},{}", chain.display(), wrong.display())).contains("cannot be used"));
    assert!(refused(&format!("{},{}", key.display(), key.display())).contains("no certificate"));
    assert!(refused("/nowhere/a.pem,/nowhere/b.pem").contains("/nowhere/a.pem"));
    assert!(refused("yes").contains("'own'"));
    assert!(refused("own").contains("GOLDCHIP_DATA"));
}

/// A proxy as shops have one: it speaks https with the world, plain http with the house, and says for whom.
fn proxy(to: String, chain: &Path, key: &Path) -> String {
    let certs = vec![CertificateDer::from_pem_file(chain).unwrap()];
    let key = PrivateKeyDer::from_pem_file(key).unwrap();
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ServerConfig::builder_with_provider(provider).with_safe_default_protocol_versions().unwrap();
    let config = Arc::new(config.with_no_client_auth().with_single_cert(certs, key).unwrap());
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = format!("https://{}", listener.local_addr().unwrap());
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let (config, to) = (config.clone(), to.clone());
            std::thread::spawn(move || {
                let mut tls = rustls::StreamOwned::new(rustls::ServerConnection::new(config).unwrap(), stream.unwrap());
                let (mut head, mut byte) = (Vec::new(), [0]);
                while !head.ends_with(b"\r\n\r\n") {
                    if tls.read(&mut byte).unwrap_or(0) == 0 {
                        return;
                    }
                    head.push(byte[0]);
                }
                let head = String::from_utf8(head).unwrap();
                let length = head.to_lowercase().lines().find_map(|l| l.strip_prefix("content-length: ")?.parse().ok());
                let mut body = vec![0; length.unwrap_or(0)];
                tls.read_exact(&mut body).unwrap();
                let more = "X-Forwarded-For: 192.0.2.33\r\nX-Forwarded-Proto: https\r\nConnection: close\r\n\r\n";
                let mut house = TcpStream::connect(to.strip_prefix("http://").unwrap()).unwrap();
                house.write_all(head.trim_end_matches("\r\n").as_bytes()).unwrap();
                house.write_all(format!("\r\n{more}").as_bytes()).unwrap();
                house.write_all(&body).unwrap();
                let mut answer = Vec::new();
                house.read_to_end(&mut answer).unwrap();
                let _ = tls.write_all(&answer).and_then(|()| tls.flush());
                tls.conn.send_close_notify();
                let _ = tls.flush();
            });
        }
    });
    at
}

/// With a proxy before it: whom the proxy names counts, and cookies are for https only.
#[test]
fn encrypted_by_a_proxy_before_it() {
    let dir = tempfile::tempdir().unwrap();
    let made = rcgen::generate_simple_self_signed(["127.0.0.1".to_string()]).unwrap();
    let (chain, key) = (dir.path().join("chain.pem"), dir.path().join("key.pem"));
    std::fs::write(&chain, made.cert.pem()).unwrap();
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    let h = peopled_with(0, &[("GOLDCHIP_PROXY", "127.0.0.1")]);
    let at = proxy(h.address.clone(), &chain, &key);
    let ida = trusting(&made.cert.pem(), &at);
    let r = ida.sign_in("ida", PRIVATE);
    assert_eq!(r.status(), 204);
    assert_eq!(r.headers().get("strict-transport-security").unwrap(), "max-age=31536000");
    for c in r.headers().get_all("set-cookie") {
        assert!(c.to_str().unwrap().contains("Secure"), "{c:?}");
    }
    let bytes = std::fs::read(part("spider-plate.step")).unwrap();
    assert_eq!(ida.give("spider-plate.step", &bytes).status(), 200);
    assert_eq!(ida.json("/api/jobs")["jobs"].as_array().unwrap().len(), 1);
    let entries: Value = ida.json("/api/audit");
    assert!(entries.as_array().unwrap().iter().all(|e| e["client"] == "192.0.2.33"), "{entries}");
}
