//! The web: routes translate, nothing more. Use cases stand beside this folder.

mod events;
mod export;
mod outer;
mod people;
mod readers;
mod routes;
mod session;
mod stock;

pub use outer::Outer;
pub use people::{NewOwner, NewPassword, NewPerson, PersonCard};
pub use readers::Readers;
pub use routes::{Measure, ShopChange, read_model as routes_read_model};
pub use session::Signed;
pub use stock::TryLay;

use crate::db::Db;
use crate::fault::Fault;
use crate::watch::Hub;
use actix_web::dev::Service;
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::middleware::Compress;
use actix_web::{App, HttpServer, ResponseError, web};
use std::net::TcpListener;
use std::path::PathBuf;
use std::sync::Arc;

/// Largest model that is taken, bytes; the reader's own limit is 60 MB.
pub const LARGEST_UPLOAD: usize = 64 << 20;

/// What every route may use.
#[derive(Clone)]
pub struct House {
    /// The database.
    pub db: Db,
    /// This program, to be started again as a reader.
    pub reader: PathBuf,
    /// Built front end.
    pub web: PathBuf,
    /// What it is called from outside.
    pub outer: Outer,
    /// Who tells the streams.
    pub hub: Arc<Hub>,
    /// Who reads models.
    pub readers: Arc<Readers>,
}

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

/// Serve until stopped.
pub async fn serve(house: House, listener: TcpListener) -> std::io::Result<()> {
    let server = HttpServer::new(move || {
        let (web_dir, outer) = (house.web.clone(), house.outer.clone());
        App::new()
            .app_data(web::Data::new(house.clone()))
            .app_data(web::PayloadConfig::new(LARGEST_UPLOAD))
            .app_data(web::JsonConfig::default().limit(64 << 10).error_handler(|e, _| {
                Fault::Bad(format!("This is not what was expected ({e}); reload the page")).into()
            }))
            .wrap(Compress::default())
            .wrap_fn(move |req, srv| {
                let api = req.path().starts_with("/api/");
                let host = Outer::host_of(req.request());
                let https = outer.is_https(req.request());
                let refused = match host {
                    Some(h) if !outer.is_ours(&h) => Some(Fault::OtherName(h)),
                    None => Some(Fault::OtherName(String::new())),
                    _ => session::foreign(&req).then_some(Fault::OtherOrigin),
                };
                let fut = match refused {
                    Some(f) => Err(req.into_response(f.error_response())),
                    None => Ok(srv.call(req)),
                };
                async move {
                    // A refusal is an answer like any other: it has the same headers.
                    let mut res = match fut {
                        Ok(f) => f.await?.map_into_boxed_body(),
                        Err(res) => res.map_into_boxed_body(),
                    };
                    for (name, value) in HEADERS {
                        res.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
                    }
                    if https {
                        let year = HeaderValue::from_static("max-age=31536000");
                        res.headers_mut().insert(header::STRICT_TRANSPORT_SECURITY, year);
                    }
                    if api && !res.headers().contains_key(header::CACHE_CONTROL) {
                        res.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
                    }
                    Ok(res)
                }
            })
            .configure(routes::all)
            .service(
                actix_files::Files::new("/", &web_dir).index_file("index.html").default_handler(web::to(routes::page)),
            )
    })
    .workers(4)
    .shutdown_timeout(2)
    .listen(listener)?;
    server.run().await
}
