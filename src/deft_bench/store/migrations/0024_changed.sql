-- How often something of an instrument was changed: what is worked out from its rows is kept with this number, and
-- worked out again when it is another (store/kept.py). 0 stands for what the shop set, -1 for every instrument.
CREATE TABLE changed (
    instrument_id INTEGER PRIMARY KEY,
    times INTEGER NOT NULL DEFAULT 0
) STRICT;
INSERT INTO changed (instrument_id) VALUES (-1), (0);
INSERT INTO changed (instrument_id) SELECT id FROM instrument;

-- A row here outlives its instrument: an id that is given again goes on counting.
CREATE TRIGGER instrument_made AFTER INSERT ON instrument BEGIN
    INSERT INTO changed (instrument_id) SELECT NEW.id WHERE NOT EXISTS (SELECT 1 FROM changed WHERE instrument_id = NEW.id);
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.id);
END;
CREATE TRIGGER instrument_edited AFTER UPDATE ON instrument BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.id);
END;
CREATE TRIGGER instrument_gone AFTER DELETE ON instrument BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.id);
END;


CREATE TRIGGER board_plan_made AFTER INSERT ON board_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER board_plan_edited AFTER UPDATE ON board_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER board_plan_gone AFTER DELETE ON board_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER board_tick_made AFTER INSERT ON board_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER board_tick_edited AFTER UPDATE ON board_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER board_tick_gone AFTER DELETE ON board_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER fret_fitted_made AFTER INSERT ON fret_fitted BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER fret_fitted_edited AFTER UPDATE ON fret_fitted BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER fret_fitted_gone AFTER DELETE ON fret_fitted BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER fret_replaced_made AFTER INSERT ON fret_replaced BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER fret_replaced_edited AFTER UPDATE ON fret_replaced BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER fret_replaced_gone AFTER DELETE ON fret_replaced BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER instrument_revision_made AFTER INSERT ON instrument_revision BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER instrument_revision_edited AFTER UPDATE ON instrument_revision BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER instrument_revision_gone AFTER DELETE ON instrument_revision BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER job_made AFTER INSERT ON job BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER job_edited AFTER UPDATE ON job BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER job_gone AFTER DELETE ON job BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER material_removed_made AFTER INSERT ON material_removed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER material_removed_edited AFTER UPDATE ON material_removed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER material_removed_gone AFTER DELETE ON material_removed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER pin_made AFTER INSERT ON pin BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER pin_edited AFTER UPDATE ON pin BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER pin_gone AFTER DELETE ON pin BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER practice_neck_made AFTER INSERT ON practice_neck BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER practice_neck_edited AFTER UPDATE ON practice_neck BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER practice_neck_gone AFTER DELETE ON practice_neck BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER rod_turn_made AFTER INSERT ON rod_turn BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER rod_turn_edited AFTER UPDATE ON rod_turn BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER rod_turn_gone AFTER DELETE ON rod_turn BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER setup_plan_made AFTER INSERT ON setup_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER setup_plan_edited AFTER UPDATE ON setup_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER setup_plan_gone AFTER DELETE ON setup_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER survey_made AFTER INSERT ON survey BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER survey_edited AFTER UPDATE ON survey BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER survey_gone AFTER DELETE ON survey BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER typed_form_made AFTER INSERT ON typed_form BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER typed_form_edited AFTER UPDATE ON typed_form BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, NEW.instrument_id);
END;
CREATE TRIGGER typed_form_gone AFTER DELETE ON typed_form BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, OLD.instrument_id);
END;

CREATE TRIGGER accepted_plan_made AFTER INSERT ON accepted_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER accepted_plan_edited AFTER UPDATE ON accepted_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER accepted_plan_gone AFTER DELETE ON accepted_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER job_estimate_made AFTER INSERT ON job_estimate BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER job_estimate_edited AFTER UPDATE ON job_estimate BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER job_estimate_gone AFTER DELETE ON job_estimate BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER job_event_made AFTER INSERT ON job_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER job_event_edited AFTER UPDATE ON job_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER job_event_gone AFTER DELETE ON job_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER neck_act_made AFTER INSERT ON neck_act BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER neck_act_edited AFTER UPDATE ON neck_act BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER neck_act_gone AFTER DELETE ON neck_act BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER order_tick_made AFTER INSERT ON order_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER order_tick_edited AFTER UPDATE ON order_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER order_tick_gone AFTER DELETE ON order_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER polish_tick_made AFTER INSERT ON polish_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER polish_tick_edited AFTER UPDATE ON polish_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER polish_tick_gone AFTER DELETE ON polish_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER refret_plan_made AFTER INSERT ON refret_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER refret_plan_edited AFTER UPDATE ON refret_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER refret_plan_gone AFTER DELETE ON refret_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER seating_checked_made AFTER INSERT ON seating_checked BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER seating_checked_edited AFTER UPDATE ON seating_checked BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER seating_checked_gone AFTER DELETE ON seating_checked BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER setup_target_made AFTER INSERT ON setup_target BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER setup_target_edited AFTER UPDATE ON setup_target BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER setup_target_gone AFTER DELETE ON setup_target BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER sheet_event_made AFTER INSERT ON sheet_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_event_edited AFTER UPDATE ON sheet_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_event_gone AFTER DELETE ON sheet_event BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER sheet_plan_made AFTER INSERT ON sheet_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_plan_edited AFTER UPDATE ON sheet_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_plan_gone AFTER DELETE ON sheet_plan BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER sheet_tick_made AFTER INSERT ON sheet_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_tick_edited AFTER UPDATE ON sheet_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = NEW.job_id));
END;
CREATE TRIGGER sheet_tick_gone AFTER DELETE ON sheet_tick BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM job WHERE id = OLD.job_id));
END;

CREATE TRIGGER reading_made AFTER INSERT ON reading BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = NEW.survey_id));
END;
CREATE TRIGGER reading_edited AFTER UPDATE ON reading BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = NEW.survey_id));
END;
CREATE TRIGGER reading_gone AFTER DELETE ON reading BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = OLD.survey_id));
END;

CREATE TRIGGER sounded_made AFTER INSERT ON sounded BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = NEW.survey_id));
END;
CREATE TRIGGER sounded_edited AFTER UPDATE ON sounded BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = NEW.survey_id));
END;
CREATE TRIGGER sounded_gone AFTER DELETE ON sounded BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM survey WHERE id = OLD.survey_id));
END;

CREATE TRIGGER practice_deed_made AFTER INSERT ON practice_deed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM practice_neck WHERE id = NEW.neck_id));
END;
CREATE TRIGGER practice_deed_edited AFTER UPDATE ON practice_deed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM practice_neck WHERE id = NEW.neck_id));
END;
CREATE TRIGGER practice_deed_gone AFTER DELETE ON practice_deed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT instrument_id FROM practice_neck WHERE id = OLD.neck_id));
END;

CREATE TRIGGER ear_confirmed_made AFTER INSERT ON ear_confirmed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT s.instrument_id FROM survey s JOIN sounded o ON o.survey_id = s.id WHERE o.id = NEW.sounded_id));
END;
CREATE TRIGGER ear_confirmed_edited AFTER UPDATE ON ear_confirmed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT s.instrument_id FROM survey s JOIN sounded o ON o.survey_id = s.id WHERE o.id = NEW.sounded_id));
END;
CREATE TRIGGER ear_confirmed_gone AFTER DELETE ON ear_confirmed BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (-1, (SELECT s.instrument_id FROM survey s JOIN sounded o ON o.survey_id = s.id WHERE o.id = OLD.sounded_id));
END;

-- What the shop set: everything is worked out again.

CREATE TRIGGER preset_made AFTER INSERT ON preset BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER preset_edited AFTER UPDATE ON preset BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER preset_gone AFTER DELETE ON preset BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;

CREATE TRIGGER setting_made AFTER INSERT ON setting BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER setting_edited AFTER UPDATE ON setting BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER setting_gone AFTER DELETE ON setting BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;

CREATE TRIGGER shop_operations_made AFTER INSERT ON shop_operations BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER shop_operations_edited AFTER UPDATE ON shop_operations BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER shop_operations_gone AFTER DELETE ON shop_operations BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;

CREATE TRIGGER stock_item_made AFTER INSERT ON stock_item BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER stock_item_edited AFTER UPDATE ON stock_item BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER stock_item_gone AFTER DELETE ON stock_item BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;

CREATE TRIGGER wire_made AFTER INSERT ON wire BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER wire_edited AFTER UPDATE ON wire BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
CREATE TRIGGER wire_gone AFTER DELETE ON wire BEGIN
    UPDATE changed SET times = times + 1 WHERE instrument_id IN (0);
END;
