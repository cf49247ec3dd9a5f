package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/demo"
)

// Bounds of the example calls: how many run at a time, how often each is looked at, and how
// long one may take before the next is placed.
const (
	examplesAtOnce  = 8
	exampleLook     = 500 * time.Millisecond
	examplePatience = 45 * time.Second
	exampleSeed     = 20
	examplesStep    = 50 // progress is told this often
)

// placeExamples runs the checks of the demo's draft and places its example calls by the public
// API, as a person would with Checks and Test call. It returns when all are over, or when the context ends.
func placeExamples(ctx context.Context, url, password string, n int, log *slog.Logger) error {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	c := apiClient{url, &http.Client{Jar: jar, Timeout: 30 * time.Second}}
	if err := c.ask(ctx, http.MethodPost, "/api/session", api.SignIn{Name: demoUser, Password: password}, nil); err != nil {
		return err
	}
	defer func() { _ = c.ask(context.WithoutCancel(ctx), http.MethodDelete, "/api/session", nil, nil) }()
	// The draft waits with mistakes: what its checks say of them is there at once.
	if err := c.ask(ctx, http.MethodPost, "/api/checks/run", api.CheckAsk{IDs: []string{}}, nil); err != nil {
		return err
	}
	calls := make(chan demo.ExampleCall)
	var done, failed atomic.Int64
	var workers sync.WaitGroup
	for range examplesAtOnce {
		workers.Go(func() {
			for call := range calls {
				if err := c.place(ctx, call); err != nil && ctx.Err() == nil {
					failed.Add(1)
					log.Debug("example call not placed", "from", call.From, "called", call.Called, "error", err)
				}
				if d := done.Add(1); d%examplesStep == 0 || d == int64(n) {
					log.Info("example calls", "placed", d, "of", n, "failed", failed.Load())
				}
			}
		})
	}
	defer workers.Wait()
	defer close(calls)
	for _, call := range demo.ExampleCalls(n, exampleSeed) {
		select {
		case calls <- call:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// apiClient speaks to the API as a browser does.
type apiClient struct {
	url  string
	http *http.Client
}

// place places a live call and waits until it is over.
func (c apiClient) place(ctx context.Context, e demo.ExampleCall) error {
	ctx, cancel := context.WithTimeout(ctx, examplePatience)
	defer cancel()
	var test api.Test
	ask := api.TestAsk{Mode: "live", Plan: "live", From: e.From, Called: e.Called, Caller: e.Caller, TalkSeconds: e.TalkSeconds}
	if err := c.ask(ctx, http.MethodPost, "/api/test-calls", ask, &test); err != nil {
		return err
	}
	for test.State == "running" {
		select {
		case <-time.After(exampleLook):
		case <-ctx.Done():
			return ctx.Err()
		}
		if err := c.ask(ctx, http.MethodGet, "/api/test-calls/"+test.ID, nil, &test); err != nil {
			return err
		}
	}
	if test.State == "not-placed" {
		return fmt.Errorf("not placed: %s", test.Why)
	}
	return nil
}

func (c apiClient) ask(ctx context.Context, method, path string, body, out any) error {
	var text bytes.Buffer
	if body != nil {
		if err := json.NewEncoder(&text).Encode(body); err != nil {
			return err
		}
	}
	request, err := http.NewRequestWithContext(ctx, method, c.url+path, &text)
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := c.http.Do(request)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode >= http.StatusMultipleChoices {
		var problem struct{ Detail string }
		_ = json.NewDecoder(response.Body).Decode(&problem) // the status says enough without it
		return fmt.Errorf("%s %s: %s %s", method, strings.TrimPrefix(path, "/api/"), response.Status, problem.Detail)
	}
	if out == nil {
		return nil
	}
	return json.NewDecoder(response.Body).Decode(out)
}
