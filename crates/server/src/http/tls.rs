//! The house speaks https itself: with a certificate that it is given, or with one of a small authority of its own, whose root people install once.
//!
//! The own root can sign for this house only: for the names it was made for and for addresses of local networks (name constraints, RFC 5280,
//! 4.2.1.10). Its certificates hold for 90 days and are made anew after 30, while the house is open; a given certificate is read again when its
//! file changes.

use super::Outer;
use chrono::{Datelike, Duration as Days, Utc};
use rcgen::{
    BasicConstraints, CertificateParams, CidrSubnet, DnType, ExtendedKeyUsagePurpose, GeneralSubtree, IsCa, Issuer,
    KeyPair, KeyUsagePurpose, NameConstraints, SanType, date_time_ymd,
};
use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::server::{ClientHello, ResolvesServerCert};
use rustls::sign::CertifiedKey;
use sha2::{Digest, Sha256};
use std::fs;
use std::io::Write;
use std::net::IpAddr;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant, SystemTime};

/// A certificate of one's own is made anew after so long.
const FRESH: Duration = Duration::from_secs(30 * 24 * 3600);
/// It holds for so long, days.
const HOLDS_DAYS: i64 = 90;
/// The root holds for so long, years.
const ROOT_YEARS: i32 = 10;
/// So often one looks whether a given certificate is another.
const LOOK: Duration = Duration::from_secs(60);

/// Where certificates come from (`GOLDCHIP_TLS`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    /// Two files: a chain of certificates and its key (PEM).
    Given(PathBuf, PathBuf),
    /// The authority in this folder.
    Own(PathBuf),
}

impl Source {
    /// From the environment; none: no https.
    pub fn from_env() -> Result<Option<Source>, String> {
        let Ok(word) = std::env::var("GOLDCHIP_TLS") else { return Ok(None) };
        match word.split_once(',') {
            Some((chain, key)) => Ok(Some(Source::Given(chain.trim().into(), key.trim().into()))),
            None if word == "own" => {
                let dir = std::env::var_os("GOLDCHIP_DATA").map(PathBuf::from);
                let dir = dir.ok_or("GOLDCHIP_TLS=own keeps its authority in GOLDCHIP_DATA: name a folder")?;
                Ok(Some(Source::Own(dir.join("authority"))))
            }
            None if word.is_empty() => Ok(None),
            None => Err(format!("GOLDCHIP_TLS={word}: write 'own', or a chain and its key as CHAIN.pem,KEY.pem")),
        }
    }
}

/// Certificates, always of today.
#[derive(Debug)]
pub struct Tls {
    source: Source,
    /// Names and addresses that the own ones are for.
    names: Vec<String>,
    now: Mutex<Now>,
}

#[derive(Debug)]
struct Now {
    key: Arc<CertifiedKey>,
    made: Instant,
    looked: Instant,
    changed: Option<SystemTime>,
}

/// What people install.
#[derive(Debug, Clone)]
pub struct Root {
    /// PEM.
    pub pem: String,
    /// SHA-256 of it as DER, in pairs: what the browser shows when it is installed.
    pub print: String,
}

fn told<E: std::fmt::Display>(what: &Path) -> impl Fn(E) -> String + '_ {
    move |e| format!("{}: {e}", what.display())
}

impl Tls {
    /// Make ready; an error says what to do.
    pub fn new(source: Source, outer: &Outer, listening: IpAddr) -> Result<Arc<Tls>, String> {
        let mut names: Vec<String> = vec!["localhost".into(), "127.0.0.1".into(), "::1".into()];
        names.extend(outer.hosts.iter().cloned());
        if listening.is_unspecified() {
            let all = if_addrs::get_if_addrs().unwrap_or_default();
            names.extend(all.iter().map(|i| i.ip().to_string()));
        } else {
            names.push(listening.to_string());
        }
        names.sort();
        names.dedup();
        let key = make(&source, &names)?;
        let now = Instant::now();
        let changed = changed(&source);
        Ok(Arc::new(Tls { source, names, now: Mutex::new(Now { key, made: now, looked: now, changed }) }))
    }
    /// For the server.
    pub fn config(self: &Arc<Tls>) -> Result<ServerConfig, String> {
        let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
            .with_safe_default_protocol_versions()
            .map_err(|e| e.to_string())?;
        Ok(config.with_no_client_auth().with_cert_resolver(self.clone()))
    }
    /// What people install, of an authority of one's own.
    pub fn root(&self) -> Option<Root> {
        let Source::Own(dir) = &self.source else { return None };
        let pem = fs::read_to_string(dir.join("root.pem")).ok()?;
        let der = CertificateDer::from_pem_slice(pem.as_bytes()).ok()?;
        let print = Sha256::digest(&der).iter().map(|b| format!("{b:02X}")).collect::<Vec<_>>().join(":");
        Some(Root { pem, print })
    }
}

impl ResolvesServerCert for Tls {
    fn resolve(&self, _: ClientHello) -> Option<Arc<CertifiedKey>> {
        let mut now = self.now.lock().unwrap_or_else(PoisonError::into_inner);
        let stale = match &self.source {
            Source::Own(_) => now.made.elapsed() > FRESH,
            Source::Given(..) if now.looked.elapsed() > LOOK => {
                now.looked = Instant::now();
                changed(&self.source) != now.changed
            }
            Source::Given(..) => false,
        };
        if stale {
            match make(&self.source, &self.names) {
                Ok(key) => {
                    now.key = key;
                    now.made = Instant::now();
                    now.changed = changed(&self.source);
                }
                // The old one is better than none.
                Err(e) => tracing::error!("the certificate stays the old one: {e}"),
            }
        }
        Some(now.key.clone())
    }
}

fn changed(source: &Source) -> Option<SystemTime> {
    let Source::Given(chain, key) = source else { return None };
    let of = |p: &Path| fs::metadata(p).and_then(|m| m.modified()).ok();
    of(chain).max(of(key))
}

fn make(source: &Source, names: &[String]) -> Result<Arc<CertifiedKey>, String> {
    let (chain, key) = match source {
        Source::Given(chain, key) => {
            let text = fs::read(chain).map_err(told(chain))?;
            let all: Result<Vec<_>, _> = CertificateDer::pem_slice_iter(&text).collect();
            let all = all.map_err(told(chain))?;
            if all.is_empty() {
                return Err(format!("{} holds no certificate in PEM", chain.display()));
            }
            (all, PrivateKeyDer::from_pem_slice(&fs::read(key).map_err(told(key))?).map_err(told(key))?)
        }
        Source::Own(dir) => issue(dir, names)?,
    };
    let made = CertifiedKey::from_der(chain, key, &ring::default_provider());
    // Key and certificate must belong together.
    made.map(Arc::new).map_err(|e| format!("the certificate cannot be used: {e}"))
}

/// The day of a moment, as rcgen has it.
fn day(d: chrono::DateTime<Utc>) -> time::OffsetDateTime {
    date_time_ymd(d.year(), d.month() as u8, d.day() as u8)
}

/// What the root was made for: names, and addresses that are in no local network.
fn wanted(names: &[String]) -> Vec<String> {
    let mut all: Vec<String> =
        names.iter().filter(|n| n.parse::<IpAddr>().is_ok_and(|a| !is_local(a))).cloned().collect();
    all.extend(names.iter().filter(|n| n.parse::<IpAddr>().is_err()).cloned());
    all
}

fn is_local(a: IpAddr) -> bool {
    match a {
        IpAddr::V4(a) => a.is_loopback() || a.is_private() || a.is_link_local(),
        IpAddr::V6(a) => a.is_loopback() || a.is_unique_local() || a.is_unicast_link_local(),
    }
}

/// Addresses of local networks: RFC 1122, 1918, 3927, 4193, 4291.
const LOCAL: [(&str, u8); 8] = [
    ("127.0.0.0", 8),
    ("10.0.0.0", 8),
    ("172.16.0.0", 12),
    ("192.168.0.0", 16),
    ("169.254.0.0", 16),
    ("::1", 128),
    ("fc00::", 7),
    ("fe80::", 10),
];

fn root_params(made_for: &[String], from: chrono::DateTime<Utc>) -> CertificateParams {
    let mut p = CertificateParams::default();
    p.distinguished_name.push(DnType::CommonName, "Gold Chip, this house's own authority");
    p.is_ca = IsCa::Ca(BasicConstraints::Constrained(0));
    p.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
    p.not_before = day(from - Days::days(1));
    p.not_after = date_time_ymd(from.year() + ROOT_YEARS, 1, 1);
    let net = |(a, n): (IpAddr, u8)| GeneralSubtree::IpAddress(CidrSubnet::from_addr_prefix(a, n));
    let local = LOCAL.iter().filter_map(|(a, n)| Some((a.parse().ok()?, *n))).map(net);
    let own = made_for.iter().map(|n| match n.parse::<IpAddr>() {
        Ok(a) => net((a, if a.is_ipv4() { 32 } else { 128 })),
        Err(_) => GeneralSubtree::DnsName(n.clone()),
    });
    p.name_constraints =
        Some(NameConstraints { permitted_subtrees: local.chain(own).collect(), excluded_subtrees: Vec::new() });
    p
}

fn put(path: &Path, text: &str) -> Result<(), String> {
    let mut f =
        fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(path).map_err(told(path))?;
    f.write_all(text.as_bytes()).and_then(|()| f.sync_all()).map_err(told(path))
}

/// A certificate for these names, of the authority in this folder; that is founded where there is none, and anew where names came that it may not
/// sign.
fn issue(dir: &Path, names: &[String]) -> Result<(Vec<CertificateDer<'static>>, PrivateKeyDer<'static>), String> {
    fs::create_dir_all(dir).map_err(told(dir))?;
    let own = |e: rcgen::Error| format!("the house's own authority: {e}");
    let (root, key, named) = (dir.join("root.pem"), dir.join("root-key.pem"), dir.join("made-for"));
    let made_for = wanted(names);
    let old = fs::read_to_string(&named).ok().filter(|_| root.exists() && key.exists());
    let suits = old.is_some_and(|o| made_for.iter().all(|n| o.lines().any(|l| l == n)));
    if !suits {
        if root.exists() {
            tracing::warn!("the house has names that its root may not sign: a new root is made, to be installed anew");
        }
        let fresh = KeyPair::generate().map_err(own)?;
        let cert = root_params(&made_for, Utc::now()).self_signed(&fresh).map_err(own)?;
        put(&key, &fresh.serialize_pem())?;
        put(&root, &cert.pem())?;
        put(&named, &made_for.join("\n"))?;
    }
    let text = fs::read_to_string(&key).map_err(told(&key))?;
    let issuer = Issuer::new(root_params(&made_for, Utc::now()), KeyPair::from_pem(&text).map_err(own)?);
    let mut p = CertificateParams::default();
    p.distinguished_name.push(DnType::CommonName, "Gold Chip");
    for n in names {
        p.subject_alt_names.push(match n.parse::<IpAddr>() {
            Ok(a) => SanType::IpAddress(a),
            Err(_) => SanType::DnsName(n.as_str().try_into().map_err(own)?),
        });
    }
    p.not_before = day(Utc::now() - Days::days(1));
    p.not_after = day(Utc::now() + Days::days(HOLDS_DAYS));
    p.use_authority_key_identifier_extension = true;
    p.key_usages = vec![KeyUsagePurpose::DigitalSignature];
    p.extended_key_usages = vec![ExtendedKeyUsagePurpose::ServerAuth];
    let leaf = KeyPair::generate().map_err(own)?;
    let cert = p.signed_by(&leaf, &issuer).map_err(own)?;
    let key = PrivateKeyDer::try_from(leaf.serialize_der()).map_err(|e| format!("the house's own authority: {e}"))?;
    Ok((vec![cert.der().clone()], key))
}
