//! The database: pool, migrations, tables and rows. Queries stand with the use cases.

pub mod rows;
pub mod schema;

use crate::fault::Fault;
use chrono::{NaiveDateTime, Utc};
use diesel::connection::SimpleConnection;
use diesel::mysql::MysqlConnection;
use diesel::prelude::*;
use diesel::r2d2::{CustomizeConnection, ManageConnection, Pool, R2D2Connection};
use diesel::sql_types::{Integer, Nullable};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// A connection.
pub type Conn = MysqlConnection;

/// Connections to one database; cheap to clone.
#[derive(Clone)]
pub struct Db(Pool<Manager>);

/// Where the database is. In a file it may change: a database that was started again may have another port.
#[derive(Debug, Clone)]
pub struct Address {
    /// `mysql://user@host:port/name`, or `file:PATH` of a file that holds such a line.
    pub place: String,
    /// Of the user.
    pub password: Option<String>,
}

impl Address {
    /// `GOLDCHIP_DATABASE` and `GOLDCHIP_DATABASE_PASSWORD`.
    pub fn from_env() -> Result<Address, String> {
        let place = std::env::var("GOLDCHIP_DATABASE").map_err(|_| "GOLDCHIP_DATABASE is not set".to_string())?;
        Ok(Address { place, password: std::env::var("GOLDCHIP_DATABASE_PASSWORD").ok() })
    }
    /// As it is now, with the password in it: that never stands on a command line.
    pub fn url(&self) -> Result<String, String> {
        let line = match self.place.strip_prefix("file:") {
            Some(path) => std::fs::read_to_string(path).map_err(|e| format!("{path}: {e}"))?.trim().to_string(),
            None => self.place.clone(),
        };
        Ok(match &self.password {
            Some(p) => line.replacen('@', &format!(":{p}@"), 1),
            None => line,
        })
    }
}

/// Makes connections to wherever the database is now.
#[derive(Debug)]
pub struct Manager(Address);

impl ManageConnection for Manager {
    type Connection = Conn;
    type Error = diesel::r2d2::Error;

    fn connect(&self) -> Result<Conn, diesel::r2d2::Error> {
        let bad = |e: String| diesel::r2d2::Error::ConnectionError(diesel::ConnectionError::BadConnection(e));
        Conn::establish(&self.0.url().map_err(bad)?).map_err(diesel::r2d2::Error::ConnectionError)
    }
    fn is_valid(&self, c: &mut Conn) -> Result<(), diesel::r2d2::Error> {
        c.ping().map_err(diesel::r2d2::Error::QueryError)
    }
    fn has_broken(&self, c: &mut Conn) -> bool {
        std::thread::panicking() || c.is_broken()
    }
}

/// So long one waits for a connection before the database is said to be away.
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(3);

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

fn away(e: impl std::fmt::Display) -> Fault {
    Fault::Away(format!("the database does not answer: {e}"))
}

impl Db {
    /// Connect, and bring the tables up to date. Two processes that start at once wait for one another (DDL is not transactional here).
    pub fn open(address: Address, size: u32) -> Result<Db, Fault> {
        let db = Db::join(address, size);
        db.with(|c| {
            // Of this database: others on the same server are none of its business.
            let ask = "SELECT GET_LOCK(CONCAT('goldchip-migrations-', DATABASE()), 60) AS got";
            let got: Got = diesel::sql_query(ask).get_result(c)?;
            if got.got != Some(1) {
                return Err(Fault::internal("another process is still changing the tables".to_string()));
            }
            let done = c.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(|e| Fault::internal(e.to_string()));
            let free = "SELECT RELEASE_LOCK(CONCAT('goldchip-migrations-', DATABASE())) AS got";
            let _: Got = diesel::sql_query(free).get_result(c)?;
            done
        })?;
        Ok(db)
    }

    /// The same to tables that whoever started this process has brought up to date. It connects when it is first asked: a database that is away just
    /// now is told then, and waited for.
    pub fn join(address: Address, size: u32) -> Db {
        let pool = Pool::builder()
            .max_size(size)
            .min_idle(Some(1))
            .connection_customizer(Box::new(Fresh))
            .connection_timeout(PATIENCE)
            .build_unchecked(Manager(address));
        Db(pool)
    }

    /// Do something with a connection.
    pub fn with<T>(&self, f: impl FnOnce(&mut Conn) -> Result<T, Fault>) -> Result<T, Fault> {
        let mut c = self.0.get().map_err(away)?;
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
