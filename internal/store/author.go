package store

import (
	"context"
	"fmt"

	"switchback.example/switchback/internal/core/plan"
)

// author is the key of who edits in a context. An edit is made on behalf of somebody all
// the way down, and what it writes bears their name.
type author struct{}

// By returns a context in which somebody edits the draft.
func By(ctx context.Context, who string) context.Context {
	return context.WithValue(ctx, author{}, who)
}

// AuthorKey is the key under which a context has who edits, for those who make contexts of
// their own kind.
var AuthorKey any = author{}

// Author is who edits in a context; empty for nobody.
func Author(ctx context.Context) string {
	who, _ := ctx.Value(author{}).(string)
	return who
}

// Authors are who last edited each object in which the draft differs from the live plan.
func (s *Store) Authors(ctx context.Context) (map[plan.Key]string, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT kind, id, who FROM draft_rows WHERE who <> ''`)
	if err != nil {
		return nil, fmt.Errorf("authors of the draft: %w", err)
	}
	defer rows.Close()
	out := map[plan.Key]string{}
	for rows.Next() {
		var k plan.Key
		var who string
		if err := rows.Scan(&k.Kind, &k.ID, &who); err != nil {
			return nil, err
		}
		out[k] = who
	}
	return out, rows.Err()
}
