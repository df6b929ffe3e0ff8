//! The database: pool, migrations, tables and rows. Queries stand with the use cases.

pub mod rows;
pub mod schema;

use crate::fault::Fault;
use chrono::{NaiveDateTime, Utc};
use diesel::connection::SimpleConnection;
use diesel::mysql::MysqlConnection;
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool};
use diesel::sql_types::{Integer, Nullable};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// A connection.
pub type Conn = MysqlConnection;

/// Connections to one database; cheap to clone.
#[derive(Clone)]
pub struct Db(Pool<ConnectionManager<Conn>>);

/// Sessions see what others have committed: `FOR UPDATE SKIP LOCKED` wants it, and a poll must not look at an old picture.
#[derive(Debug)]
struct Fresh;

impl CustomizeConnection<Conn, diesel::r2d2::Error> for Fresh {
    fn on_acquire(&self, c: &mut Conn) -> Result<(), diesel::r2d2::Error> {
        c.batch_execute("SET SESSION time_zone = '+00:00'; SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED;")
            .map_err(diesel::r2d2::Error::QueryError)
    }
}

/// Now, UTC.
pub fn now() -> NaiveDateTime {
    Utc::now().naive_utc()
}

#[derive(QueryableByName)]
struct Got {
    #[diesel(sql_type = Nullable<Integer>)]
    got: Option<i32>,
}

impl Db {
    /// Connect, and bring the tables up to date. Two processes that start at once wait for one another (DDL is not transactional here).
    pub fn open(url: &str, size: u32) -> Result<Db, Fault> {
        let pool = Pool::builder()
            .max_size(size)
            .connection_customizer(Box::new(Fresh))
            .connection_timeout(std::time::Duration::from_secs(10))
            .build(ConnectionManager::new(url))
            .map_err(|e| Fault::internal(format!("the database does not answer: {e}")))?;
        let db = Db(pool);
        db.with(|c| {
            let got: Got = diesel::sql_query("SELECT GET_LOCK('goldchip-migrations', 60) AS got").get_result(c)?;
            if got.got != Some(1) {
                return Err(Fault::internal("another process is still changing the tables".to_string()));
            }
            let done = c.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(|e| Fault::internal(e.to_string()));
            let _: Got = diesel::sql_query("SELECT RELEASE_LOCK('goldchip-migrations') AS got").get_result(c)?;
            done
        })?;
        Ok(db)
    }

    /// Do something with a connection.
    pub fn with<T>(&self, f: impl FnOnce(&mut Conn) -> Result<T, Fault>) -> Result<T, Fault> {
        let mut c = self.0.get().map_err(|e| Fault::internal(format!("the database does not answer: {e}")))?;
        f(&mut c)
    }

    /// A use case: all of it or nothing. Where the database breaks off one of two that wait for one another, it is done again.
    pub fn act<T>(&self, f: impl Fn(&mut Conn) -> Result<T, Fault>) -> Result<T, Fault> {
        self.with(|c| {
            let mut tries = 0;
            loop {
                match c.transaction(&f) {
                    Err(Fault::Again(_)) if tries < 8 => {
                        tries += 1;
                        std::thread::sleep(std::time::Duration::from_millis(rand::random_range(1..20 * tries)));
                    }
                    done => return done,
                }
            }
        })
    }

    /// The same on a thread that may wait.
    pub async fn run<T: Send + 'static>(
        &self,
        f: impl Fn(&mut Conn) -> Result<T, Fault> + Send + 'static,
    ) -> Result<T, Fault> {
        let db = self.clone();
        actix_web::web::block(move || db.act(f)).await.map_err(|e| Fault::internal(e.to_string()))?
    }
}

diesel::define_sql_function! {
    /// Id that the last insert of this connection got.
    fn last_insert_id() -> diesel::sql_types::BigInt;
}

/// Id that the last insert got (this database has no `RETURNING` here).
pub fn last_id(c: &mut Conn) -> Result<i64, Fault> {
    Ok(diesel::select(last_insert_id()).get_result(c)?)
}
