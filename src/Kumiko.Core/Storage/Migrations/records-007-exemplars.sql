-- Exemplars are asked for by time, and leave by it.
CREATE INDEX exemplar_sample ON exemplar (sample);
