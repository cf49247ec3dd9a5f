package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"strings"
	"time"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
)

// serverPatience bounds a request to a running Switchback.
const serverPatience = 30 * time.Second

// signIn opens a session at a running Switchback, as the user that the
// environment names.
func signIn(ctx context.Context, url string) (server, error) {
	name, password := os.Getenv("SWITCHBACK_USER"), os.Getenv("SWITCHBACK_PASSWORD")
	if name == "" || password == "" {
		return server{}, badInput{errors.New("set SWITCHBACK_USER and SWITCHBACK_PASSWORD to sign in at the server")}
	}
	jar, err := cookiejar.New(nil)
	if err != nil {
		return server{}, err
	}
	s := server{strings.TrimSuffix(url, "/"), &http.Client{Jar: jar, Timeout: serverPatience}}
	return s, s.ask(ctx, http.MethodPost, "/api/session", api.SignIn{Name: name, Password: password}, nil)
}

// tryServer lets a running Switchback decide the call by its own plan.
func tryServer(ctx context.Context, f tryFlags) (decide.Result, error) {
	s, err := signIn(ctx, f.server)
	if err != nil {
		return decide.Result{}, err
	}
	ask := api.TestAsk{Mode: "dry", Plan: "live", From: f.from, Called: f.dial, Caller: f.caller, Simulate: plan.Simulated{Down: f.down, Full: f.full, Time: f.at}}
	if f.draft {
		ask.Plan = "draft"
	}
	var tried api.Test
	if err := s.ask(ctx, http.MethodPost, "/api/test-calls", ask, &tried); err != nil {
		return decide.Result{}, err
	}
	if tried.Result == nil {
		return decide.Result{}, errors.New("the server decided nothing")
	}
	return *tried.Result, nil
}

type server struct {
	url  string
	http *http.Client
}

// ask sends a request and reads the answer; a problem document becomes an
// error with its detail and places.
func (s server) ask(ctx context.Context, method, path string, body, out any) error {
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, method, s.url+path, bytes.NewReader(text))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := s.http.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		return s.problem(res)
	}
	if out == nil {
		return nil
	}
	return json.NewDecoder(res.Body).Decode(out)
}

// problem reads a problem document (RFC 9457). What the server blames on the
// request is bad input.
func (s server) problem(res *http.Response) error {
	var doc struct {
		Detail string
		Errors []struct{ Location, Message string }
	}
	if err := json.NewDecoder(res.Body).Decode(&doc); err != nil || doc.Detail == "" {
		return fmt.Errorf("%s answered %s", s.url, res.Status)
	}
	all := []error{fmt.Errorf("%s: %s", s.url, doc.Detail)}
	for _, e := range doc.Errors {
		if e.Message != doc.Detail {
			all = append(all, fmt.Errorf("%s: %s", e.Location, e.Message))
		}
	}
	if res.StatusCode < 500 {
		return badInput{errors.Join(all...)}
	}
	return errors.Join(all...)
}
