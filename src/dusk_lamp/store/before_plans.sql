-- The last shape of a data folder from before plans were one document (0015). Whatever is older is brought to it
-- first: what is missing is added, see `before_plans.py`.
CREATE TABLE IF NOT EXISTS sculpt (
  id INTEGER NOT NULL,
  name VARCHAR(120) NOT NULL,
  file_name VARCHAR(255) NOT NULL,
  file_format VARCHAR(8) NOT NULL,
  file_sha VARCHAR(64) NOT NULL,
  created_at DATETIME NOT NULL,
  deleted_at DATETIME,
  up VARCHAR(2),
  front VARCHAR(2),
  height_mm FLOAT,
  file_tall FLOAT,
  findings JSON,
  notes JSON NOT NULL,
  mended_key VARCHAR(64),
  surface_key VARCHAR(64),
  sky_key VARCHAR(64),
  thumb_key VARCHAR(64),
  rig JSON NOT NULL,
  greys JSON NOT NULL,
  exposure JSON NOT NULL,
  stages_done JSON NOT NULL,
  revision INTEGER NOT NULL,
  marking_number INTEGER DEFAULT '0' NOT NULL,
  more_files JSON DEFAULT '[]' NOT NULL,
  former_files JSON DEFAULT '[]' NOT NULL,
  parts JSON DEFAULT '[]' NOT NULL,
  display JSON DEFAULT '{"azimuth": 0.0, "elevation": 8.0, "spots": []}' NOT NULL,
  holes_closed BOOLEAN DEFAULT 0 NOT NULL,
  user_id INTEGER DEFAULT '1' NOT NULL,
  scheme_id INTEGER DEFAULT '0' NOT NULL,
  models INTEGER DEFAULT '1' NOT NULL,
  tints JSON DEFAULT '{}' NOT NULL,
  kept_scheme INTEGER DEFAULT '0' NOT NULL,
  face JSON DEFAULT '{}' NOT NULL,
  glows JSON DEFAULT '{}' NOT NULL,
  metal JSON DEFAULT '{}' NOT NULL,
  wear JSON DEFAULT '{}' NOT NULL,
  PRIMARY KEY (id)
);
CREATE TABLE IF NOT EXISTS job (
  id INTEGER NOT NULL,
  sculpt_id INTEGER NOT NULL,
  state VARCHAR(8) NOT NULL,
  step VARCHAR(80) NOT NULL,
  share FLOAT NOT NULL,
  message VARCHAR NOT NULL,
  attempts INTEGER NOT NULL,
  stop_asked BOOLEAN NOT NULL,
  created_at DATETIME NOT NULL,
  kind VARCHAR(12) DEFAULT 'prepare' NOT NULL,
  worker VARCHAR(60),
  lease_until DATETIME,
  urgency INTEGER DEFAULT '1' NOT NULL,
  PRIMARY KEY (id),
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS marking (
  id INTEGER NOT NULL,
  sculpt_id INTEGER NOT NULL,
  number INTEGER NOT NULL,
  surface_key VARCHAR(64) NOT NULL,
  standing JSON NOT NULL,
  labels BLOB NOT NULL,
  regions JSON NOT NULL,
  PRIMARY KEY (id),
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS paint (
  id INTEGER NOT NULL,
  label JSON NOT NULL,
  deleted_at DATETIME,
  user_id INTEGER DEFAULT '1' NOT NULL,
  PRIMARY KEY (id)
);
CREATE TABLE IF NOT EXISTS recipe (
  id INTEGER NOT NULL,
  name VARCHAR(60) NOT NULL,
  paints JSON NOT NULL,
  parts JSON NOT NULL,
  deleted_at DATETIME,
  user_id INTEGER DEFAULT '1' NOT NULL,
  PRIMARY KEY (id)
);
CREATE TABLE IF NOT EXISTS scheme (
  id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
  sculpt_id INTEGER NOT NULL,
  number INTEGER NOT NULL,
  school VARCHAR(20) NOT NULL,
  primer VARCHAR(60),
  through VARCHAR(60),
  in_colour BOOLEAN NOT NULL,
  darkest FLOAT,
  lightest FLOAT,
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS coat (
  id INTEGER NOT NULL,
  scheme_id INTEGER NOT NULL,
  place INTEGER NOT NULL,
  stage VARCHAR(20) NOT NULL,
  technique VARCHAR(20) NOT NULL,
  mix JSON NOT NULL,
  settings JSON NOT NULL,
  goes_on JSON NOT NULL,
  muted BOOLEAN NOT NULL,
  label VARCHAR(80) NOT NULL,
  way VARCHAR(20) DEFAULT '' NOT NULL,
  PRIMARY KEY (id),
  FOREIGN KEY(scheme_id) REFERENCES scheme (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS painter (
  id INTEGER NOT NULL,
  tools JSON NOT NULL,
  cautioned JSON NOT NULL,
  PRIMARY KEY (id)
);
CREATE TABLE IF NOT EXISTS sitting (
  id INTEGER NOT NULL,
  sculpt_id INTEGER NOT NULL,
  place VARCHAR(64) NOT NULL,
  timer JSON NOT NULL,
  PRIMARY KEY (id),
  UNIQUE (sculpt_id),
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS done (
  id INTEGER NOT NULL,
  sculpt_id INTEGER NOT NULL,
  coat_key VARCHAR(64) NOT NULL,
  how VARCHAR(8) NOT NULL,
  at DATETIME NOT NULL,
  seconds FLOAT,
  PRIMARY KEY (id),
  CONSTRAINT one_end_of_a_step UNIQUE (sculpt_id, coat_key),
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS kept_scheme (
  id INTEGER NOT NULL,
  sculpt_id INTEGER NOT NULL,
  name VARCHAR(60) NOT NULL,
  coats JSON NOT NULL,
  choice JSON NOT NULL,
  regions JSON NOT NULL,
  tints JSON NOT NULL,
  PRIMARY KEY (id),
  FOREIGN KEY(sculpt_id) REFERENCES sculpt (id) ON DELETE CASCADE
);
CREATE INDEX IF NOT EXISTS ix_job_sculpt_id ON job (sculpt_id);
CREATE INDEX IF NOT EXISTS ix_marking_sculpt_id ON marking (sculpt_id);
CREATE INDEX IF NOT EXISTS ix_sculpt_file_sha ON sculpt (file_sha);
CREATE INDEX IF NOT EXISTS ix_scheme_sculpt_id ON scheme (sculpt_id);
CREATE INDEX IF NOT EXISTS ix_coat_scheme_id ON coat (scheme_id);
CREATE INDEX IF NOT EXISTS ix_sculpt_user_id ON sculpt (user_id);
CREATE INDEX IF NOT EXISTS ix_paint_user_id ON paint (user_id);
CREATE INDEX IF NOT EXISTS ix_recipe_user_id ON recipe (user_id);
CREATE INDEX IF NOT EXISTS ix_done_sculpt_id ON done (sculpt_id);
CREATE INDEX IF NOT EXISTS ix_kept_scheme_sculpt_id ON kept_scheme (sculpt_id);
