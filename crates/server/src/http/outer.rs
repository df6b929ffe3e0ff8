//! What the house is called from outside, and who is behind a proxy.

use actix_web::HttpRequest;
use actix_web::http::header;
use std::net::IpAddr;

/// Names and proxies, from the environment.
#[derive(Debug, Clone, Default)]
pub struct Outer {
    /// Addresses of proxies whose word about a client is taken (`GOLDCHIP_PROXY`, with commas).
    pub proxies: Vec<IpAddr>,
    /// Names by which the house may be called (`GOLDCHIP_HOSTS`, with commas), besides addresses and localhost.
    pub hosts: Vec<String>,
}

impl Outer {
    /// Read it.
    pub fn from_env() -> Result<Outer, String> {
        let list = |name: &str| -> Vec<String> {
            let text = std::env::var(name).unwrap_or_default();
            text.split(',').map(|s| s.trim().to_lowercase()).filter(|s| !s.is_empty()).collect()
        };
        let proxies = list("GOLDCHIP_PROXY")
            .into_iter()
            .map(|p| p.parse().map_err(|_| format!("GOLDCHIP_PROXY: {p} is no address; write for example 127.0.0.1")));
        Ok(Outer { proxies: proxies.collect::<Result<_, _>>()?, hosts: list("GOLDCHIP_HOSTS") })
    }
    /// Is the house open to more than this machine, or called by a name of its own?
    pub fn is_set(&self) -> bool {
        !self.proxies.is_empty() || !self.hosts.is_empty()
    }
    fn through_proxy(&self, peer: Option<IpAddr>) -> bool {
        peer.is_some_and(|p| self.proxies.contains(&p.to_canonical()))
    }
    /// Address of the client: the peer, or whom a trusted proxy names, the last that is none itself.
    pub fn client(&self, peer: Option<IpAddr>, forwarded: Option<&str>) -> String {
        let told = forwarded.filter(|_| self.through_proxy(peer));
        let named = told.and_then(|f| {
            let all = f.rsplit(',').map(|a| a.trim().trim_matches(['[', ']']).parse::<IpAddr>().ok());
            all.map_while(|a| a).find(|a| !self.proxies.contains(&a.to_canonical()))
        });
        named.or(peer).map_or_else(String::new, |a| a.to_canonical().to_string())
    }
    /// Is this one of the house's names? Addresses are: a foreign page can point a name at us, but no address (DNS rebinding).
    pub fn is_ours(&self, host: &str) -> bool {
        let host = host.to_lowercase();
        let name = match host.rsplit_once(':') {
            Some((n, port)) if !port.is_empty() && port.bytes().all(|b| b.is_ascii_digit()) => n,
            _ => host.as_str(),
        };
        let name = name.trim_matches(['[', ']']).trim_end_matches('.');
        name == "localhost" || name.parse::<IpAddr>().is_ok() || self.hosts.iter().any(|h| h == name)
    }
    /// Who sent a request.
    pub fn client_of(&self, req: &HttpRequest) -> String {
        let told = req.headers().get("x-forwarded-for").and_then(|v| v.to_str().ok());
        self.client(req.peer_addr().map(|a| a.ip()), told)
    }
    /// Does the client speak https, with us or with a trusted proxy?
    pub fn is_https(&self, req: &HttpRequest) -> bool {
        let proto = req.headers().get("x-forwarded-proto").and_then(|v| v.to_str().ok());
        let told = self.through_proxy(req.peer_addr().map(|a| a.ip())) && proto == Some("https");
        told || req.app_config().secure()
    }
    /// The `Host` that a request was sent to.
    pub fn host_of(req: &HttpRequest) -> Option<String> {
        let h = req.headers().get(header::HOST).and_then(|h| h.to_str().ok()).map(String::from);
        h.or_else(|| req.uri().authority().map(|a| a.to_string()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_trusted_proxy_may_name_the_client() {
        let o = Outer { proxies: vec!["10.0.0.1".parse().unwrap()], hosts: vec!["mill.shop".into()] };
        let ip = |s: &str| Some(s.parse::<IpAddr>().unwrap());
        assert_eq!(o.client(ip("10.0.0.1"), Some("192.0.2.7")), "192.0.2.7");
        // What the client itself put before it is not believed.
        assert_eq!(o.client(ip("10.0.0.1"), Some("1.1.1.1, 192.0.2.7, 10.0.0.1")), "192.0.2.7");
        assert_eq!(o.client(ip("10.0.0.1"), Some("garbage")), "10.0.0.1");
        assert_eq!(o.client(ip("192.0.2.9"), Some("1.1.1.1")), "192.0.2.9");
        assert_eq!(o.client(ip("::ffff:10.0.0.1"), Some("192.0.2.7")), "192.0.2.7");
        assert_eq!(o.client(None, Some("1.1.1.1")), "");
    }

    #[test]
    fn a_name_that_is_not_ours_is_none() {
        let o = Outer { proxies: vec![], hosts: vec!["mill.shop".into()] };
        for ours in
            ["127.0.0.1:8080", "localhost:1", "localhost", "[::1]:80", "192.168.1.5", "mill.shop", "MILL.shop:443"]
        {
            assert!(o.is_ours(ours), "{ours}");
        }
        for not in ["evil.example", "mill.shop.evil.example", "localhost.evil.example:8080", "", ":80"] {
            assert!(!o.is_ours(not), "{not}");
        }
    }
}
