package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"time"
)

// ErrHeld says that another process runs on the database.
var ErrHeld = errors.New("another Switchback runs on this database")

// Hold takes the database for this process alone, until it is released or the process
// ends. It writes nothing. While it is held by another process the error is ErrHeld, and
// says where that one comes from.
//
// It is a lock of the database server under a name (GET_LOCK), which goes with the
// connection: a process that dies leaves nothing behind.
func (s *Store) Hold(ctx context.Context, log *slog.Logger) (release func(), err error) {
	conn, err := s.hold(ctx)
	if err != nil {
		return nil, err
	}
	watching, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		defer close(done)
		s.keepHold(watching, conn, log)
	}()
	return func() { stop(); <-done }, nil
}

const holdName = `CONCAT('switchback ', DATABASE())`

func (s *Store) hold(ctx context.Context) (*sql.Conn, error) {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	var got sql.NullInt64
	if err = conn.QueryRowContext(ctx, `SELECT GET_LOCK(`+holdName+`, 0)`).Scan(&got); err == nil && got.Int64 != 1 {
		err = s.holder(ctx, conn)
	}
	if err != nil {
		conn.Close()
		return nil, err
	}
	return conn, nil
}

// holder is ErrHeld with who holds the database, as far as this user may see it.
func (s *Store) holder(ctx context.Context, conn *sql.Conn) error {
	var id sql.NullInt64
	if err := conn.QueryRowContext(ctx, `SELECT IS_USED_LOCK(`+holdName+`)`).Scan(&id); err != nil || !id.Valid {
		return ErrHeld
	}
	var host string
	if err := conn.QueryRowContext(ctx, `SELECT host FROM information_schema.processlist WHERE id = ?`, id.Int64).Scan(&host); err != nil || host == "" {
		return fmt.Errorf("%w, as connection %d of the database server; stop it first", ErrHeld, id.Int64)
	}
	return fmt.Errorf("%w, connected from %s; stop it first", ErrHeld, host)
}

// holdPace is how often the hold is looked at, and tried again where it was lost.
const holdPace = 2 * time.Second

// keepHold keeps the connection alive, and takes the database again when it comes back
// after it was away.
func (s *Store) keepHold(ctx context.Context, conn *sql.Conn, log *slog.Logger) {
	tick := time.NewTicker(holdPace)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			if conn != nil {
				conn.Close()
			}
			return
		case <-tick.C:
		}
		if conn != nil {
			if err := conn.PingContext(ctx); err == nil || ctx.Err() != nil {
				continue
			}
			conn.Close()
			conn = nil
		}
		var err error
		if conn, err = s.hold(ctx); errors.Is(err, ErrHeld) {
			log.Error("the database was away, and another process has taken it meanwhile: two processes run the same switches", "error", err)
		}
	}
}
