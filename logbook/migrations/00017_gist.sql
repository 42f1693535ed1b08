-- +goose Up
-- The tester's own word to group runs by; and what a run says in short, for ranking and the matrix.
ALTER TABLE runs ADD label text NOT NULL DEFAULT '', ADD gist text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE runs DROP label, DROP gist;
