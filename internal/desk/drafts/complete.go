package drafts

import (
	"context"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/core/intake"
	casesdb "roundhouse.example/internal/store/cases"
)

// complete changes what a live case says in words. The vendor is not told by that: the fields stay marked until a
// message carries them.
func (w *work) complete(ctx context.Context, ch Edit) error {
	if ch.Texts == nil && ch.Answers == nil {
		return nil
	}
	c := w.Case
	texts, answers := told(c.Texts.V), maps.Clone(c.Answers.V)
	if err := w.retell(ctx, ch); err != nil {
		return err
	}
	sets := &casesdb.Sets{Texts: changed(texts, told(c.Texts.V)), Answers: changed(answers, c.Answers.V)}
	var fields []string
	for _, k := range slices.Sorted(maps.Keys(sets.Texts)) {
		fields = append(fields, "texts."+k)
	}
	for _, k := range slices.Sorted(maps.Keys(sets.Answers)) {
		fields = append(fields, "answers."+k)
	}
	if len(fields) == 0 {
		return nil
	}
	story, err := w.d.filing.StoryOf(ctx, w.Tx, c)
	if err != nil {
		return err
	}
	var labels []string
	for _, field := range fields {
		if l := intake.FieldLabel(story, field); !slices.Contains(labels, l) {
			labels = append(labels, l)
		}
	}
	text := "Completed: " + strings.Join(labels, ", ") + ". The vendor has not been told yet.\n\n" +
		intake.Update(story, fields)
	_, err = w.Changed(ctx, text, &casesdb.Effect{Sets: sets})
	return err
}

// told are texts by the API's names.
func told(t casesdb.Texts) map[string]string {
	out := map[string]string{}
	for k, v := range t.ByName() {
		out[k] = *v
	}
	return out
}

// changed are the fields that differ, as they are now; nil for none.
func changed(before, now map[string]string) map[string]string {
	var out map[string]string
	for _, of := range []map[string]string{before, now} {
		for k := range of {
			if before[k] == now[k] {
				continue
			}
			if out == nil {
				out = map[string]string{}
			}
			out[k] = now[k]
		}
	}
	return out
}
