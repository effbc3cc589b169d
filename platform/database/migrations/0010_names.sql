-- +goose Up
-- Tables, columns and values are called what the trade and PostgreSQL's users call them. Nothing else changes.

-- Imports -------------------------------------------------------------------
alter table intake rename to import_run;
alter table import_run rename column trouble to error;
alter table import_run rename column set_aside to rejected;
alter table import_run rename column put to merged;           -- staged offers that are in the catalog
alter table import_run rename column gone to withdrawn_numbers;
alter table import_run rename column hold to approval;        -- why it needs approval, with examples
alter table import_run rename column straight to initial_load;
alter table import_run rename column allowed to approved;
alter table import_run rename column whole to is_full;        -- everything the source has, not only changes
alter index intake_source rename to import_run_source;
alter index intake_alone rename to import_run_alone;
alter index intake_file rename to import_run_file;
alter table import_run drop constraint intake_state_check, drop constraint intake_phase_check;
update import_run set state = case state when 'held' then 'needs_approval' when 'dropped' then 'discarded' else state end,
    phase = case phase when 'weighing' then 'checking' when 'putting' then 'merging' else phase end,
    approval = case when approval ? 'from' then approval - 'from' - 'into'
        || jsonb_build_object('from_currency', approval -> 'from', 'to_currency', approval -> 'into') else approval end;
alter table import_run
    add constraint import_run_state_check check (state in ('waiting', 'running', 'needs_approval', 'finished', 'failed', 'discarded')),
    add constraint import_run_phase_check check (phase in ('reading', 'checking', 'merging'));

alter table set_aside rename to rejected_row;
alter table rejected_row rename column intake_id to import_id;
alter table rejected_row rename column place to position;     -- in words, such as "row 12"

alter table link_result rename column intake_id to import_id;
alter table link_result rename column place to line;
alter table link_result rename column found_in to format;
alter table link_result rename column trouble to error;

alter table staged_offer rename column place to seq;
alter table staged_variant rename column place to seq;

-- Sources -------------------------------------------------------------------
alter table source rename column trouble to error;
alter table source rename column repeats to schedule;
alter table source rename column zone to time_zone;
alter table source rename column swept_at to full_import_at;  -- when everything that it has was last compared
alter table source rename column most_withdrawn to max_withdrawn;
alter table source rename column most_repriced to max_repriced;
alter table category_mapping rename column said_by to mapped_by;
alter table sent_picture rename to uploaded_picture;

-- The catalog ---------------------------------------------------------------
alter table picture rename column trouble to error;
alter table picture rename column shapes to hashes;           -- perceptual hashes
alter table picture rename column outline to edge_map;
alter table picture rename column tint to median_colour;
alter table said_alike rename to match_decision;
alter table match_decision rename column said_by to decided_by;
alter table match_decision rename column said_at to decided_at;
alter index said_alike_other rename to match_decision_other;
alter table saved_sentence rename to saved_search;
alter table saved_search rename column asked to sentence;
alter index saved_sentence_name rename to saved_search_name;
alter table request rename to quote_request;
alter table request_source rename column trouble to error;

-- Prices --------------------------------------------------------------------
alter table price rename column trouble to error;
alter table price rename column landing to landed_trace;
alter table price rename column marks to flags;
alter table price_hold rename to price_pin;
alter table money_rules rename column freed to released_pins;
alter table money_rules rename column taken_back to undone;
update money_rules set rules = jsonb_set(rules, '{rates}', (rules -> 'rates') - 'typed' - 'oldest_days'
    || jsonb_build_object('manual', rules -> 'rates' -> 'typed', 'max_age_days', rules -> 'rates' -> 'oldest_days'));
alter table reprice_run rename column full_way to with_landed_cost;

-- Drafts --------------------------------------------------------------------
alter table draft rename column taken_by to created_by;
alter table draft_variant rename column value_places to value_indexes;
alter table typed_price rename to manual_price;
alter table manual_price rename column typed_by to set_by;
alter table manual_price rename column typed_at to set_at;
update draft_edit set before = before - 'typed' || jsonb_build_object('manual_prices', before -> 'typed') where before ? 'typed';

-- Jobs that wait keep their work. The job library's tables are made after these, so that a new database has none.
-- +goose StatementBegin
do $$ begin
    if to_regclass('river_job') is not null then
        update river_job set args = args - 'intake_id' || jsonb_build_object('import_id', args -> 'intake_id') where args ? 'intake_id';
        update river_job set kind = case kind when 'intake' then 'import' when 'catch_up' then 'import_changes' when 'due_intakes' then 'start_due_imports'
            when 'look_ahead' then 'describe_pictures' when 'keep_pictures' then 'fetch_pictures' when 'upkeep' then 'maintenance'
            when 'sweep' then 'recover' else kind end,
            queue = case queue when 'intake' then 'import' when 'upkeep' then 'maintenance' else queue end;
    end if;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$ begin
    if to_regclass('river_job') is not null then
        update river_job set args = args - 'import_id' || jsonb_build_object('intake_id', args -> 'import_id') where args ? 'import_id';
        update river_job set kind = case kind when 'import' then 'intake' when 'import_changes' then 'catch_up' when 'start_due_imports' then 'due_intakes'
            when 'describe_pictures' then 'look_ahead' when 'fetch_pictures' then 'keep_pictures' when 'maintenance' then 'upkeep'
            when 'recover' then 'sweep' else kind end,
            queue = case queue when 'import' then 'intake' when 'maintenance' then 'upkeep' else queue end;
    end if;
end $$;
-- +goose StatementEnd
update draft_edit set before = before - 'manual_prices' || jsonb_build_object('typed', before -> 'manual_prices') where before ? 'manual_prices';
alter table manual_price rename column set_at to typed_at;
alter table manual_price rename column set_by to typed_by;
alter table manual_price rename to typed_price;
alter table draft_variant rename column value_indexes to value_places;
alter table draft rename column created_by to taken_by;
alter table reprice_run rename column with_landed_cost to full_way;
update money_rules set rules = jsonb_set(rules, '{rates}', (rules -> 'rates') - 'manual' - 'max_age_days'
    || jsonb_build_object('typed', rules -> 'rates' -> 'manual', 'oldest_days', rules -> 'rates' -> 'max_age_days'));
alter table money_rules rename column undone to taken_back;
alter table money_rules rename column released_pins to freed;
alter table price_pin rename to price_hold;
alter table price rename column flags to marks;
alter table price rename column landed_trace to landing;
alter table price rename column error to trouble;
alter table request_source rename column error to trouble;
alter table quote_request rename to request;
alter index saved_search_name rename to saved_sentence_name;
alter table saved_search rename column sentence to asked;
alter table saved_search rename to saved_sentence;
alter index match_decision_other rename to said_alike_other;
alter table match_decision rename column decided_at to said_at;
alter table match_decision rename column decided_by to said_by;
alter table match_decision rename to said_alike;
alter table picture rename column median_colour to tint;
alter table picture rename column edge_map to outline;
alter table picture rename column hashes to shapes;
alter table picture rename column error to trouble;
alter table uploaded_picture rename to sent_picture;
alter table category_mapping rename column mapped_by to said_by;
alter table source rename column max_repriced to most_repriced;
alter table source rename column max_withdrawn to most_withdrawn;
alter table source rename column full_import_at to swept_at;
alter table source rename column time_zone to zone;
alter table source rename column schedule to repeats;
alter table source rename column error to trouble;
alter table staged_variant rename column seq to place;
alter table staged_offer rename column seq to place;
alter table link_result rename column error to trouble;
alter table link_result rename column format to found_in;
alter table link_result rename column line to place;
alter table link_result rename column import_id to intake_id;
alter table rejected_row rename column position to place;
alter table rejected_row rename column import_id to intake_id;
alter table rejected_row rename to set_aside;
alter table import_run drop constraint import_run_state_check, drop constraint import_run_phase_check;
update import_run set state = case state when 'needs_approval' then 'held' when 'discarded' then 'dropped' else state end,
    phase = case phase when 'checking' then 'weighing' when 'merging' then 'putting' else phase end,
    approval = case when approval ? 'from_currency' then approval - 'from_currency' - 'to_currency'
        || jsonb_build_object('from', approval -> 'from_currency', 'into', approval -> 'to_currency') else approval end;
alter index import_run_file rename to intake_file;
alter index import_run_alone rename to intake_alone;
alter index import_run_source rename to intake_source;
alter table import_run rename column is_full to whole;
alter table import_run rename column approved to allowed;
alter table import_run rename column initial_load to straight;
alter table import_run rename column approval to hold;
alter table import_run rename column withdrawn_numbers to gone;
alter table import_run rename column merged to put;
alter table import_run rename column rejected to set_aside;
alter table import_run rename column error to trouble;
alter table import_run rename to intake;
alter table intake
    add constraint intake_state_check check (state in ('waiting', 'running', 'held', 'finished', 'failed', 'dropped')),
    add constraint intake_phase_check check (phase in ('reading', 'weighing', 'putting'));
