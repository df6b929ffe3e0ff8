//! How the house's own root comes to people's machines: a page that anybody may see, on https and, where `GOLDCHIP_PLAIN` names an address, without.

use super::House;
use crate::fault::Fault;
use actix_web::http::header;
use actix_web::web::{self, Data, ServiceConfig};
use actix_web::{App, HttpRequest, HttpResponse, HttpServer, get};
use std::net::TcpListener;

/// Register them.
pub fn all(c: &mut ServiceConfig) {
    c.service(root_page).service(root_file);
}

const PAGE: &str = "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width'><title>Trust this house</title>
<style>body{font:17px/1.5 system-ui,sans-serif;max-width:42rem;margin:3rem auto;padding:0 1rem;color:#1b2326;background:#f6f4ee}code{word-break:break-all;background:#e7e3d6;padding:.1em .3em}a.do{display:inline-block;padding:.6rem 1.2rem;background:#1f4e5f;color:#fff;text-decoration:none;border-radius:4px}</style>
<h1>Trust this house</h1>
<p>Gold Chip encrypts what it sends with certificates of its own. Once on each machine, its root has to be installed; it can vouch for this house's names and for addresses of local networks only.</p>
<p><a class=do href=/authority.crt download>Take the root</a></p>
<ol><li>Compare its SHA-256 fingerprint with the one that was printed when the house was opened:<br><code>{print}</code></li>
<li>Open the file and install it as a trusted root (an <em>authority</em>), in the system or in the browser.</li>
<li>Then go to <a href='{house}'>{house}</a>.</li></ol>
<p>Ask whoever runs the house if the fingerprints differ, and install nothing.</p></html>";

fn shown(house: &House, https: &str) -> Result<HttpResponse, Fault> {
    let root = house.tls.as_ref().and_then(|t| t.root()).ok_or(Fault::NoSuch("authority"))?;
    let page = PAGE.replace("{print}", &root.print).replace("{house}", https);
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page))
}

#[get("/authority")]
async fn root_page(house: Data<House>) -> Result<HttpResponse, Fault> {
    shown(&house, "/")
}

#[get("/authority.crt")]
async fn root_file(house: Data<House>) -> Result<HttpResponse, Fault> {
    let root = house.tls.as_ref().and_then(|t| t.root()).ok_or(Fault::NoSuch("authority"))?;
    Ok(HttpResponse::Ok()
        .content_type("application/x-x509-ca-cert")
        .insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"goldchip-root.crt\""))
        .body(root.pem))
}

/// Whatever else is asked for is at the same name, encrypted.
async fn over(req: HttpRequest, house: Data<House>, port: Data<u16>) -> Result<HttpResponse, Fault> {
    let host = super::Outer::host_of(&req).filter(|h| house.outer.is_ours(h));
    let host = host.ok_or_else(|| Fault::OtherName(String::new()))?;
    let name = match host.rsplit_once(':') {
        Some((n, p)) if p.bytes().all(|b| b.is_ascii_digit()) => n.to_string(),
        _ => host,
    };
    let https = format!("https://{name}:{}", **port);
    if req.path() == "/" && house.tls.as_ref().is_some_and(|t| t.root().is_some()) {
        return shown(&house, &https);
    }
    let to = format!("{https}{}", req.uri().path_and_query().map_or("/", |p| p.as_str()));
    Ok(HttpResponse::PermanentRedirect().insert_header((header::LOCATION, to)).finish())
}

/// Without encryption: the root, and the way to the house.
pub async fn plain(house: House, listener: TcpListener, https: u16) -> std::io::Result<()> {
    HttpServer::new(move || {
        App::new()
            .app_data(Data::new(house.clone()))
            .app_data(Data::new(https))
            .wrap(actix_web::middleware::from_fn(super::outside::around))
            .service(root_file)
            .default_service(web::to(over))
    })
    .workers(1)
    .disable_signals()
    .listen(listener)?
    .run()
    .await
}
