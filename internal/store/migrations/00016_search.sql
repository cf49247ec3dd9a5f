-- +goose Up

-- Each index by which calls are searched holds every column that a search asks of, and ends in
-- the order of the list.
ALTER TABLE call_summaries
  DROP KEY by_trunk_in,
  DROP KEY by_trunk_out,
  DROP KEY by_outcome,
  DROP KEY by_cause,
  ADD KEY by_time (started_at, id, outcome, q850, sip, media, switch_id, trunk_in_id, trunk_out_id, answered_at, ended_at),
  ADD KEY by_trunk_in (trunk_in_id, started_at, id, outcome, q850, sip, media, switch_id, answered_at, ended_at),
  ADD KEY by_trunk_out (trunk_out_id, started_at, id, outcome, q850, sip, media, switch_id, answered_at, ended_at),
  ADD KEY by_outcome (outcome, started_at, id, q850, sip, media, switch_id, answered_at, ended_at),
  ADD KEY by_cause (q850, started_at, id, outcome, sip, media, switch_id, answered_at, ended_at);
