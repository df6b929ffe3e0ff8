//! The web: routes translate, nothing more. Use cases stand beside this folder.

mod book;
mod events;
mod keeping;
mod outer;
mod outside;
mod people;
mod readers;
mod rounds;
mod routes;
mod runs;
mod session;
mod stock;
mod tls;
mod trust;

pub use outer::Outer;
pub use people::{NewOwner, NewPassword, NewPerson, PersonCard};
pub use readers::{Flights, Readers};
pub use routes::{Measure, ShopChange};
pub use session::{Once, Signed};
pub use stock::TryLay;
pub use tls::{Source, Tls};

use crate::db::Db;
use crate::lookers::Lookers;
use crate::watch::Hub;
use actix_web::middleware::{Compress, from_fn};
use actix_web::{App, HttpServer, web};
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
    /// Built front end.
    pub web: PathBuf,
    /// What it is called from outside.
    pub outer: Outer,
    /// Who tells the streams.
    pub hub: Arc<Hub>,
    /// Turns of those who wait for a model to be read.
    pub readers: Arc<Readers>,
    /// Turns of those who wait for something to be looked at.
    pub looking: Arc<Readers>,
    /// Who looks.
    pub lookers: Arc<Lookers>,
    /// What is being made just now.
    pub flights: Arc<Flights>,
    /// The line to a machine, where it has one.
    pub machine: Option<machine::Link>,
    /// Certificates, where it speaks https itself.
    pub tls: Option<Arc<Tls>>,
}

/// Serve until stopped.
pub async fn serve(house: House, listener: TcpListener, plain: Option<TcpListener>) -> std::io::Result<()> {
    let tls = house.tls.clone();
    if let (Some(l), Some(_)) = (plain, &tls) {
        actix_web::rt::spawn(trust::plain(house.clone(), l, listener.local_addr()?.port()));
    }
    let server = HttpServer::new(move || {
        let web_dir = house.web.clone();
        App::new()
            .app_data(web::Data::new(house.clone()))
            .app_data(web::PayloadConfig::new(LARGEST_UPLOAD))
            .app_data(web::JsonConfig::default().limit(64 << 10))
            .wrap(Compress::default())
            .wrap(from_fn(outside::around))
            .configure(routes::all)
            .configure(trust::all)
            .service(
                actix_files::Files::new("/", &web_dir).index_file("index.html").default_handler(web::to(routes::page)),
            )
    })
    .workers(4)
    .shutdown_timeout(2);
    let server = match tls {
        Some(t) => server.listen_rustls_0_23(listener, t.config().map_err(std::io::Error::other)?)?,
        None => server.listen(listener)?,
    };
    server.run().await
}
