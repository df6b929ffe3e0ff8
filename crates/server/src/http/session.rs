//! Who is at the screen, and whether the request comes from our own page.

use super::{House, Outer};
use crate::fault::Fault;
use crate::people::{self, Me};
use actix_web::dev::{Payload, ServiceRequest};
use actix_web::http::Method;
use actix_web::{FromRequest, HttpRequest, web};
use std::future::Future;
use std::pin::Pin;

/// Name of the cookie. Ports share cookies, so two shops on one machine need different names.
pub fn cookie_name(host: Option<&str>) -> String {
    let port = host.and_then(|h| h.rsplit_once(':')).map_or("80", |p| p.1);
    format!("goldchip-{}", port.chars().filter(char::is_ascii_digit).collect::<String>())
}

/// Name of the cookie by which a browser is known again.
pub fn browser_name(host: Option<&str>) -> String {
    cookie_name(host).replacen("goldchip", "goldchip-browser", 1)
}

/// The token of a request.
pub fn token(req: &HttpRequest) -> Option<String> {
    req.cookie(&cookie_name(Outer::host_of(req).as_deref())).map(|c| c.value().to_string())
}

/// A person who is signed in.
pub struct Signed(pub Me);

impl FromRequest for Signed {
    type Error = Fault;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Fault>>>>;

    fn from_request(req: &HttpRequest, _: &mut Payload) -> Self::Future {
        let house = req.app_data::<web::Data<House>>().cloned();
        let token = token(req);
        Box::pin(async move {
            let (Some(house), Some(token)) = (house, token) else { return Err(Fault::SignedOut) };
            let me = house.db.run(move |c| people::who(c, &token)).await?;
            crate::log::person(me.id);
            Ok(Signed(me))
        })
    }
}

/// The sender's own word for a decision, by which it is made once however often it is sent (IETF draft "The Idempotency-Key HTTP Header Field").
pub struct Once(pub Option<String>);

impl FromRequest for Once {
    type Error = Fault;
    type Future = std::future::Ready<Result<Self, Fault>>;

    fn from_request(req: &HttpRequest, _: &mut Payload) -> Self::Future {
        let word = req.headers().get("idempotency-key").and_then(|v| v.to_str().ok());
        std::future::ready(Ok(Once(word.map(String::from))))
    }
}

/// Does a request that changes something come from another page? Browsers tell by `Origin`; requests without it are no browser's.
pub fn foreign(req: &ServiceRequest) -> bool {
    if matches!(*req.method(), Method::GET | Method::HEAD | Method::OPTIONS) {
        return false;
    }
    let text = |name: &str| req.headers().get(name).and_then(|v| v.to_str().ok());
    if text("sec-fetch-site").is_some_and(|s| s != "same-origin" && s != "none") {
        return true;
    }
    let origin = text("origin").map(|o| o.split_once("://").map_or(o, |p| p.1));
    origin.is_some_and(|o| text("host") != Some(o))
}
