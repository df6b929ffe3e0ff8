//! What every request goes through: whose name it calls, a line in the log, patience with its body, and answers that are all of one kind.

use super::{House, Outer, session};
use crate::fault::Fault;
use crate::log::{Note, REQUEST};
use actix_http::error::PayloadError;
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::error::{JsonPayloadError, UrlencodedError};
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::web::{Bytes, Data};
use actix_web::{Error, HttpMessage, ResponseError};
use futures_util::{Stream, StreamExt, stream};
use std::cell::RefCell;
use std::io;
use std::time::{Duration, Instant};

const HEADERS: [(&str, &str); 6] = [
    (
        "content-security-policy",
        "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; object-src 'none'; \
         base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
    ),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("cross-origin-opener-policy", "same-origin"),
    ("cross-origin-resource-policy", "same-origin"),
];

/// A body that says nothing for so long is broken off.
const SILENT: Duration = Duration::from_secs(10);
/// So long a body may take whatever its size; then it must have come at
const GRACE: Duration = Duration::from_secs(30);
/// least so fast, bytes/s.
const RATE: f64 = 10_000.0;

/// The same bytes, broken off where they come too slowly.
fn patient(p: Payload) -> Payload {
    let begun: Option<(Payload, Instant, usize)> = Some((p, Instant::now(), 0));
    let bytes = stream::unfold(begun, |rest| async {
        let (mut p, start, n) = rest?;
        let slow = || Err(PayloadError::Io(io::Error::new(io::ErrorKind::TimedOut, "too slow")));
        match tokio::time::timeout(SILENT, p.next()).await {
            Err(_) => Some((slow(), None)),
            Ok(None) => None,
            Ok(Some(Err(e))) => Some((Err(e), None)),
            Ok(Some(Ok(b))) => {
                let n = n + b.len();
                let spare = start.elapsed().saturating_sub(GRACE).as_secs_f64();
                if spare * RATE > n as f64 { Some((slow(), None)) } else { Some((Ok(b), Some((p, start, n)))) }
            }
        }
    });
    let bytes: std::pin::Pin<Box<dyn Stream<Item = Result<Bytes, PayloadError>>>> = Box::pin(bytes);
    Payload::Stream { payload: bytes }
}

/// A refusal of the framework's in our words.
fn ours(status: u16, e: Option<&Error>) -> Fault {
    let slow = |p: &PayloadError| matches!(p, PayloadError::Io(e) if e.kind() == io::ErrorKind::TimedOut);
    let payload = e.and_then(|e| {
        e.as_error::<PayloadError>().or_else(|| match e.as_error::<JsonPayloadError>() {
            Some(JsonPayloadError::Payload(p)) => Some(p),
            _ => None,
        })
    });
    let urlencoded = e.is_some_and(|e| e.as_error::<UrlencodedError>().is_some());
    match status {
        _ if payload.is_some_and(slow) => Fault::Slow,
        404 => Fault::NoSuch("address"),
        405 => Fault::OtherMethod,
        408 => Fault::Slow,
        413 => Fault::TooLarge("This is larger than anything that is taken here (64 MB)".into()),
        s if s >= 500 => Fault::internal(e.map_or_else(|| format!("status {s}"), ToString::to_string)),
        _ if urlencoded => Fault::Bad("This form was not understood; reload the page".into()),
        _ => Fault::Bad(match e {
            Some(e) => format!("This is not what was expected ({e}); reload the page"),
            None => "This is not what was expected; reload the page".into(),
        }),
    }
}

/// See the top of this file.
pub async fn around(
    mut req: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let house = req.app_data::<Data<House>>().cloned();
    let outer = house.map(|h| h.outer.clone()).unwrap_or_default();
    let (method, path, start) = (req.method().clone(), req.path().to_string(), Instant::now());
    let api = path.starts_with("/api/");
    // Of localhost other programs live too, on other ports.
    let at_home = Outer::host_of(req.request()).is_some_and(|h| h.starts_with("localhost"));
    let https = outer.is_https(req.request()) && !at_home;
    let refused = match Outer::host_of(req.request()) {
        Some(h) if !outer.is_ours(&h) => Some(Fault::OtherName(h)),
        None => Some(Fault::OtherName(String::new())),
        _ => session::foreign(&req).then_some(Fault::OtherOrigin),
    };
    let payload = patient(req.take_payload());
    req.set_payload(payload);
    let note = RefCell::new(Note { id: format!("{:08x}", rand::random::<u32>()), person: None });
    // A refusal is an answer like any other: it has the same headers.
    let answered = async {
        let mut res = match refused {
            Some(f) => req.into_response(f.error_response()),
            None => match next.call(req).await {
                Ok(r) => r.map_into_boxed_body(),
                Err(e) => return (Err(e), note_now()),
            },
        };
        let json = res.headers().get(header::CONTENT_TYPE).is_some_and(|t| t == "application/json");
        let status = res.status().as_u16();
        if api && status >= 400 && !json {
            let fault = ours(status, res.response().error());
            let allow = res.headers().get(header::ALLOW).cloned();
            res = res.into_response(fault.error_response());
            if let Some(a) = allow {
                res.headers_mut().insert(header::ALLOW, a);
            }
        }
        (Ok(res), note_now())
    };
    let (res, note) = REQUEST.scope(note, answered).await;
    let ms = start.elapsed().as_millis();
    let code = res.as_ref().map_or_else(|e| e.as_response_error().status_code(), |r| r.status()).as_u16();
    let person = note.person.map_or_else(|| "-".into(), |p| p.to_string());
    // The path alone: names of files stand behind it; and names of people in it.
    let path = if path.starts_with("/api/people/") { "/api/people/{name}" } else { &path };
    tracing::info!(id = %note.id, %person, %method, %path, code, ms = ms as u64, "request");
    let mut res = res?;
    let headers = res.headers_mut();
    for (name, value) in HEADERS {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    if let Ok(id) = HeaderValue::from_str(&note.id) {
        headers.insert(HeaderName::from_static("x-request-id"), id);
    }
    if https {
        headers.insert(header::STRICT_TRANSPORT_SECURITY, HeaderValue::from_static("max-age=31536000"));
    }
    if api && !headers.contains_key(header::CACHE_CONTROL) {
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    Ok(res)
}

fn note_now() -> Note {
    REQUEST.try_with(|n| n.borrow().clone()).unwrap_or_default()
}
