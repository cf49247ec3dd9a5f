-- +goose Up

-- The name that all legs of a call carry, over all switches (RFC 7989).
ALTER TABLE calls ADD COLUMN session CHAR(32) NOT NULL DEFAULT '', ADD KEY by_session (session);
