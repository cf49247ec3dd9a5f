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
)

// serverPatience bounds a request to a running Switchback.
const serverPatience = 30 * time.Second

// tryServer lets a running Switchback decide the call by its own plan.
func tryServer(ctx context.Context, f tryFlags) (decide.Result, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return decide.Result{}, err
	}
	s := server{strings.TrimSuffix(f.server, "/"), &http.Client{Jar: jar, Timeout: serverPatience}}
	name, password := os.Getenv("SWITCHBACK_USER"), os.Getenv("SWITCHBACK_PASSWORD")
	if name == "" || password == "" {
		return decide.Result{}, badInput{errors.New("set SWITCHBACK_USER and SWITCHBACK_PASSWORD to sign in at the server")}
	}
	if err := s.post(ctx, "/api/session", api.SignIn{Name: name, Password: password}, nil); err != nil {
		return decide.Result{}, err
	}
	ask := api.TryAsk{Mode: "dry", Plan: "live", From: f.from, Dial: f.dial, Caller: f.caller, Down: f.down, Full: f.full}
	if f.draft {
		ask.Plan = "draft"
	}
	var tried api.Try
	if err := s.post(ctx, "/api/tries", ask, &tried); err != nil {
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

// post sends a request and reads the answer; a problem document becomes an
// error with its detail and places.
func (s server) post(ctx context.Context, path string, body, out any) error {
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, s.url+path, bytes.NewReader(text))
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
		var problem struct{ Detail string }
		if err := json.NewDecoder(res.Body).Decode(&problem); err != nil || problem.Detail == "" {
			return fmt.Errorf("%s answered %s", s.url, res.Status)
		}
		err := fmt.Errorf("%s: %s", s.url, problem.Detail)
		if res.StatusCode < 500 {
			return badInput{err}
		}
		return err
	}
	if out == nil {
		return nil
	}
	return json.NewDecoder(res.Body).Decode(out)
}
