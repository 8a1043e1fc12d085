import type { Sequelize, Transaction } from 'sequelize';

interface Migration {
  name: string;
  up(database: Sequelize, transaction: Transaction): Promise<void>;
}

const sql =
  (text: string): Migration['up'] =>
  async (database, transaction) => {
    await database.query(text, { transaction });
  };

/** In order; a migration that has landed is never changed. */
export const MIGRATIONS: readonly Migration[] = [
  {
    name: '001-clips',
    up: sql(`
      CREATE TABLE clips (
        id uuid PRIMARY KEY,
        name text NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
        size bigint NOT NULL CHECK (size >= 0),
        state text NOT NULL CHECK (state IN ('importing', 'ready', 'failed')),
        stage text NOT NULL DEFAULT '',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        hash text CHECK (hash ~ '^[0-9a-f]{64}$'),
        extension text NOT NULL CHECK (extension ~ '^\\.[a-z0-9]{1,8}$'),
        upload text,
        error jsonb,
        info jsonb,
        times jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        deleted_at timestamptz,
        CHECK (state <> 'ready' OR (hash IS NOT NULL AND info IS NOT NULL AND times IS NOT NULL)),
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE UNIQUE INDEX clips_one_copy ON clips (hash) WHERE deleted_at IS NULL;
      CREATE TABLE worker_pools (id text PRIMARY KEY, beat_at timestamptz NOT NULL);
    `),
  },
  {
    name: '002-shots',
    up: sql(`
      CREATE TABLE shots (
        id uuid PRIMARY KEY,
        clip_id uuid NOT NULL REFERENCES clips (id) ON DELETE CASCADE,
        name text NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
        first integer NOT NULL CHECK (first >= 0),
        last integer NOT NULL CHECK (last >= first),
        handle_before integer NOT NULL DEFAULT 0 CHECK (handle_before >= 0),
        handle_after integer NOT NULL DEFAULT 0 CHECK (handle_after >= 0),
        document jsonb NOT NULL,
        revision integer NOT NULL DEFAULT 0,
        -- Number of journal entries in force: undo lowers it, redo raises it.
        head integer NOT NULL DEFAULT 0 CHECK (head >= 0),
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        deleted_at timestamptz
      );
      CREATE INDEX shots_of_clip ON shots (clip_id);
      CREATE TABLE journal (
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        seq integer NOT NULL CHECK (seq >= 1),
        edit_id uuid NOT NULL UNIQUE,
        label text NOT NULL,
        patch jsonb NOT NULL,
        inverse jsonb NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        PRIMARY KEY (shot_id, seq)
      );
    `),
  },
  {
    name: '003-takes',
    up: sql(`
      CREATE TABLE takes (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        removal_id uuid NOT NULL,
        name text NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
        draft boolean NOT NULL,
        settings jsonb NOT NULL,
        marks jsonb NOT NULL,
        marks_hash text NOT NULL,
        first integer NOT NULL CHECK (first >= 0),
        count integer NOT NULL CHECK (count >= 1),
        beneath jsonb NOT NULL,
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        finished jsonb NOT NULL DEFAULT '[]',
        error jsonb,
        outcome jsonb,
        picked boolean NOT NULL DEFAULT false,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        deleted_at timestamptz,
        CHECK (NOT picked OR state = 'done'),
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE INDEX takes_of_shot ON takes (shot_id);
      CREATE UNIQUE INDEX takes_one_pick ON takes (shot_id, removal_id) WHERE picked AND deleted_at IS NULL;
      CREATE TABLE reveals (
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        removal_id uuid NOT NULL,
        key text NOT NULL,
        task jsonb NOT NULL,
        state text NOT NULL CHECK (state IN ('working', 'ready', 'failed')),
        progress real NOT NULL DEFAULT 0,
        error jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        PRIMARY KEY (shot_id, removal_id)
      );
      CREATE TABLE exports (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        kind text NOT NULL CHECK (kind IN ('ffv1', 'h264', 'png', 'fill', 'matte')),
        removal_id uuid,
        file_name text NOT NULL,
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        error jsonb,
        size bigint,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE INDEX exports_of_shot ON exports (shot_id);
    `),
  },
  {
    name: '004-tracks',
    up: sql(`
      UPDATE shots SET document = document || '{"tracks": {}}' WHERE NOT document ? 'tracks';
      CREATE TABLE follows (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        track_id uuid NOT NULL,
        first integer NOT NULL CHECK (first >= 0),
        last integer NOT NULL CHECK (last >= first),
        found jsonb NOT NULL DEFAULT '{}',
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        error jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE INDEX follows_of_track ON follows (shot_id, track_id);
    `),
  },
  {
    name: '005-movers',
    up: sql(`
      CREATE TABLE searches (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL UNIQUE REFERENCES shots (id) ON DELETE CASCADE,
        first integer NOT NULL CHECK (first >= 0),
        count integer NOT NULL CHECK (count > 0),
        movers jsonb NOT NULL DEFAULT '[]',
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        error jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
    `),
  },
  {
    // Outlines are followed as tracks are.
    name: '006-outlines',
    up: sql('ALTER TABLE follows RENAME COLUMN track_id TO target_id;'),
  },
  {
    // Takes of chosen frames alone.
    name: '007-part-takes',
    up: sql('ALTER TABLE takes ADD COLUMN "only" jsonb;'),
  },
  {
    name: '008-mattes',
    up: sql(`
      CREATE TABLE mattes (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        name text NOT NULL,
        upload text,
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        error jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE INDEX mattes_of_shot ON mattes (shot_id);
      ALTER TABLE exports DROP CONSTRAINT exports_kind_check;
      ALTER TABLE exports ADD CONSTRAINT exports_kind_check
        CHECK (kind IN ('ffv1', 'h264', 'png', 'fill', 'matte', 'matte_png'));
    `),
  },
  {
    // What the worker makes of an edit is taken back with it.
    name: '009-completed-edits',
    up: sql('ALTER TABLE journal ADD COLUMN completes uuid; ALTER TABLE follows ADD COLUMN completes uuid;'),
  },
  {
    // Fills are trimmed by hand after they were computed.
    name: '010-trims',
    up: sql(`
      ALTER TABLE takes ADD COLUMN beneath_trims jsonb NOT NULL DEFAULT '{}';
      ALTER TABLE takes ADD COLUMN preview_trims text NOT NULL DEFAULT '';
    `),
  },
  {
    name: '011-plates',
    up: sql(`
      CREATE TABLE plates (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE,
        removal_id uuid NOT NULL,
        name text NOT NULL,
        frame integer NOT NULL CHECK (frame >= 0),
        built jsonb,
        upload text,
        state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
        stage text NOT NULL DEFAULT 'waiting',
        progress real NOT NULL DEFAULT 0 CHECK (progress BETWEEN 0 AND 1),
        seconds_left real,
        cancel boolean NOT NULL DEFAULT false,
        error jsonb,
        created_at timestamptz NOT NULL,
        updated_at timestamptz NOT NULL,
        CHECK (state <> 'failed' OR error IS NOT NULL)
      );
      CREATE INDEX plates_of_shot ON plates (shot_id);
    `),
  },
  {
    // A matte may be made of an outline.
    name: '012-outline-mattes',
    up: sql('ALTER TABLE mattes ADD COLUMN outline jsonb;'),
  },
  {
    // Steps of undo are taken once as edits are, and an edit that was forgotten by the journal is not taken again.
    name: '013-wishes',
    up: sql(`
      CREATE TABLE wishes (
        id uuid PRIMARY KEY,
        shot_id uuid NOT NULL REFERENCES shots (id) ON DELETE CASCADE
      );
      CREATE INDEX wishes_of_shot ON wishes (shot_id);
      INSERT INTO wishes SELECT edit_id, shot_id FROM journal;
    `),
  },
];
