//! Rows as they are read.

use super::schema::{decisions, jobs, people, tasks};
use chrono::NaiveDateTime;
use diesel::prelude::*;

/// A person.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = people)]
pub struct Person {
    pub id: i64,
    pub shop_id: i64,
    pub name: String,
    pub password: String,
    pub owner: bool,
    pub active: bool,
}

/// A job.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = jobs)]
pub struct Job {
    pub id: i64,
    pub shop_id: i64,
    pub title: String,
    pub file: String,
    pub model: String,
    pub shop_revision_id: i64,
    pub revision: i64,
    pub archived: bool,
    pub made_at: NaiveDateTime,
    pub sheet: Option<String>,
    pub sheet_revision: Option<i64>,
    pub offer: Option<String>,
}

/// A decision.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = decisions)]
pub struct DecisionRow {
    pub job_id: i64,
    pub revision: i64,
    pub about: String,
    pub body: String,
    pub person_id: i64,
    pub at: NaiveDateTime,
    pub undoes: Option<i64>,
    pub redoes: Option<i64>,
}

/// A task.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = tasks)]
pub struct Task {
    pub id: i64,
    pub job_id: i64,
    pub revision: i64,
    pub state: String,
    pub stage: String,
    pub share: f64,
    pub tries: i32,
    pub stop: bool,
    pub why: Option<String>,
}
