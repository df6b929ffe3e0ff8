//! Tables as the migrations make them.

diesel::table! {
    shops (id) { id -> Bigint, name -> Varchar, units -> Varchar, revision_id -> Nullable<Bigint>, quota_mb -> Bigint, }
}
diesel::table! {
    shop_revisions (id) { id -> Bigint, shop_id -> Bigint, sha -> Char, data -> Longtext, made_at -> Datetime, }
}
diesel::table! {
    people (id) { id -> Bigint, shop_id -> Bigint, name -> Varchar, password -> Varchar, owner -> Bool, active -> Bool, }
}
diesel::table! {
    sessions (token_sha) { token_sha -> Char, person_id -> Bigint, made_at -> Datetime, seen_at -> Datetime, }
}
diesel::table! {
    sign_in_failures (id) { id -> Bigint, bucket -> Varchar, at -> Datetime, }
}
diesel::table! {
    blobs (name) { name -> Varchar, size -> Bigint, kept -> Bool, used_at -> Datetime, }
}
diesel::table! {
    blob_pieces (name, piece) { name -> Varchar, piece -> Integer, bytes -> Longblob, }
}
diesel::table! {
    jobs (id) {
        id -> Bigint,
        shop_id -> Bigint,
        title -> Varchar,
        file -> Varchar,
        model -> Char,
        shop_revision_id -> Bigint,
        revision -> Bigint,
        archived -> Bool,
        made_at -> Datetime,
        sheet -> Nullable<Char>,
        sheet_revision -> Nullable<Bigint>,
        offer -> Nullable<Longtext>,
        deleted_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    decisions (job_id, revision) {
        job_id -> Bigint,
        revision -> Bigint,
        about -> Varchar,
        body -> Longtext,
        person_id -> Bigint,
        at -> Datetime,
        undoes -> Nullable<Bigint>,
        redoes -> Nullable<Bigint>,
        once -> Nullable<Varchar>,
    }
}
diesel::table! {
    tasks (id) {
        id -> Bigint,
        job_id -> Bigint,
        revision -> Bigint,
        state -> Varchar,
        stage -> Varchar,
        share -> Double,
        worker -> Nullable<Varchar>,
        tries -> Integer,
        beat_at -> Nullable<Datetime>,
        stop -> Bool,
        why -> Nullable<Longtext>,
        kind -> Varchar,
        person_id -> Nullable<Bigint>,
        started_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    issued (id) {
        id -> Bigint,
        job_id -> Bigint,
        revision -> Bigint,
        side -> Varchar,
        file -> Varchar,
        program -> Longtext,
        sheet -> Longtext,
        shop_revision_id -> Bigint,
        build -> Char,
        person_id -> Bigint,
        at -> Datetime,
    }
}

diesel::table! {
    pieces (shop_id, tag) { shop_id -> Bigint, tag -> Varchar, body -> Longtext, }
}
diesel::table! {
    acts (id) {
        id -> Bigint,
        shop_id -> Bigint,
        about -> Varchar,
        person_id -> Bigint,
        at -> Datetime,
        words -> Varchar,
        changes -> Longtext,
        job_id -> Nullable<Bigint>,
        undoes -> Nullable<Bigint>,
        redoes -> Nullable<Bigint>,
    }
}
diesel::table! {
    runs (id) {
        id -> Bigint,
        shop_id -> Bigint,
        job_id -> Bigint,
        revision -> Bigint,
        piece -> Integer,
        card -> Longtext,
        shop_revision_id -> Bigint,
        build -> Char,
        person_id -> Bigint,
        began -> Datetime,
        ended -> Nullable<Datetime>,
        good -> Nullable<Bool>,
    }
}
diesel::table! {
    run_entries (id) {
        id -> Bigint,
        run_id -> Bigint,
        word -> Varchar,
        person_id -> Bigint,
        at_ms -> Bigint,
        act -> Longtext,
        kept_at -> Datetime,
    }
}
diesel::table! {
    rounds (id) {
        id -> Bigint,
        job_id -> Bigint,
        person_id -> Bigint,
        asked -> Datetime,
        truth -> Nullable<Longtext>,
        why -> Nullable<Longtext>,
        said -> Nullable<Longtext>,
        points -> Nullable<Integer>,
        ended -> Nullable<Datetime>,
    }
}
diesel::joinable!(rounds -> jobs (job_id));
diesel::allow_tables_to_appear_in_same_query!(rounds, jobs);
diesel::joinable!(runs -> jobs (job_id));
diesel::allow_tables_to_appear_in_same_query!(runs, jobs);
diesel::joinable!(decisions -> people (person_id));
diesel::joinable!(sessions -> people (person_id));
diesel::allow_tables_to_appear_in_same_query!(decisions, people, sessions);

diesel::table! {
    known_browsers (token_sha, person_id) { token_sha -> Char, person_id -> Bigint, at -> Datetime, }
}
diesel::table! {
    audit (id) {
        id -> Bigint,
        shop_id -> Bigint,
        person_id -> Nullable<Bigint>,
        who -> Varchar,
        at -> Datetime,
        what -> Varchar,
        words -> Varchar,
        client -> Varchar,
    }
}
diesel::table! {
    events (id) {
        id -> Bigint,
        shop_id -> Nullable<Bigint>,
        job_id -> Nullable<Bigint>,
        person_id -> Nullable<Bigint>,
        at -> Datetime,
    }
}
diesel::table! {
    backups (id) { id -> Bigint, at -> Datetime, file -> Varchar, bytes -> Bigint, why -> Nullable<Varchar>, }
}
