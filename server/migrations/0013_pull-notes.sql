ALTER TABLE "pull_lists" ADD COLUMN "notes" text DEFAULT '' NOT NULL;--> statement-breakpoint
UPDATE acts SET rows = (SELECT jsonb_agg(CASE WHEN e ->> 'table' = 'pull_lists' THEN e
    || CASE WHEN jsonb_typeof(e -> 'before') = 'object' THEN jsonb_build_object('before', e -> 'before' || '{"notes": ""}') ELSE '{}' END
    || CASE WHEN jsonb_typeof(e -> 'after') = 'object' THEN jsonb_build_object('after', e -> 'after' || '{"notes": ""}') ELSE '{}' END
    ELSE e END ORDER BY n) FROM jsonb_array_elements(rows) WITH ORDINALITY x(e, n))
  WHERE kind = 'pull' AND rows @> '[{"table": "pull_lists"}]';
