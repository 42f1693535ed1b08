-- +goose Up
-- Curves are kept packed, as strips are: reading them as JSON took as long as all the rest of a page. They
-- belong to results that the next version of the arithmetic makes anew.
ALTER TABLE results DROP curves;
ALTER TABLE results ADD curves bytea NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE results DROP curves;
ALTER TABLE results ADD curves text NOT NULL DEFAULT '{}';
