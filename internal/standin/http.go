package standin

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"
)

const pageSize = 20

// Handler is the houses' API. It knows no idempotency keys: what is sent twice
// is there twice.
func (s *Standin) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /{house}/jobs", s.write(s.log))
	mux.HandleFunc("POST /{house}/jobs/{no}/remarks", s.write(s.remark))
	mux.HandleFunc("PUT /{house}/jobs/{no}/grade", s.write(s.grade))
	mux.HandleFunc("POST /{house}/jobs/{no}/end", s.write(s.end))
	mux.HandleFunc("POST /{house}/jobs/{no}/again", s.write(s.again))
	mux.HandleFunc("POST /{house}/jobs/{no}/papers", s.write(s.paper))
	mux.HandleFunc("GET /{house}/jobs/{no}/papers", s.papers)
	mux.HandleFunc("GET /{house}/jobs", s.jobs)
	mux.HandleFunc("GET /{house}/jobs/{no}/happenings", s.jobHappenings)
	mux.HandleFunc("GET /{house}/happenings", s.happenings)
	mux.HandleFunc("POST /{house}/play", s.play)
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, http.StatusOK, map[string]any{"houses": Houses})
	})
	return mux
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func problem(w http.ResponseWriter, status int, format string, args ...any) {
	answer(w, status, map[string]string{"problem": fmt.Sprintf(format, args...)})
}

type request struct {
	Subject string `json:"subject"`
	Story   string `json:"story"`
	Words   string `json:"words"`
	Grade   string `json:"grade"`
	Caller  string `json:"caller"`
	paper   *Paper
}

type result struct {
	status int
	body   any
}

// write takes a request in, well or as badly as was asked for.
func (s *Standin) write(do func(h House, no string, r request) result) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		h, ok := house(r.PathValue("house"))
		if !ok {
			problem(w, http.StatusNotFound, "no such house")
			return
		}
		req, err := read(w, r)
		if err != nil {
			problem(w, http.StatusBadRequest, "not understood: %v", err)
			return
		}
		way := s.nextWay(h.Key)
		switch way {
		case "down":
			problem(w, http.StatusServiceUnavailable, "the house is closed for repairs")
			return
		case "late":
			time.Sleep(time.Duration(float64(30*time.Second) / s.haste))
		case "short":
			const most = 160
			req.Story, req.Words = req.Story[:min(most, len(req.Story))], req.Words[:min(most, len(req.Words))]
		}
		res := s.locked(func() result { return do(h, r.PathValue("no"), req) })
		switch way {
		case "cut":
			if c, _, err := http.NewResponseController(w).Hijack(); err == nil {
				c.Close()
			}
			return
		case "garbage":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<html><body>The proxy could not read the answer</body></html>")
			return
		}
		answer(w, res.status, res.body)
	}
}

func (s *Standin) nextWay(key string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	st := s.houses[key]
	if len(st.Ways) == 0 {
		return ""
	}
	way := st.Ways[0]
	st.Ways = st.Ways[1:]
	return way
}

func (s *Standin) locked(fn func() result) result {
	s.mu.Lock()
	defer s.mu.Unlock()
	return fn()
}

func (s *Standin) log(h House, _ string, r request) result {
	if r.Subject == "" || r.Story == "" || !slices.Contains(h.Grades, r.Grade) {
		return refuse("a job needs subject, story and one of the grades %v", h.Grades)
	}
	st := s.houses[h.Key]
	now := s.now().UTC()
	j := &Job{No: fmt.Sprintf("%s%d", h.Prefix, st.Next), Subject: r.Subject, Story: r.Story, Grade: r.Grade,
		Stage: "logged", Logged: now,
		Manner: cmp.Or(s.manner, mannerOf(r.Subject, st.Next-h.First)), Since: now}
	st.Next++
	st.Jobs = append(st.Jobs, j)
	s.happen(h.Key, Happening{Job: j.No, What: "logged", By: By{Side: "caller", Name: r.Caller}, Words: r.Story,
		Stage: j.Stage, Grade: j.Grade})
	return result{http.StatusCreated,
		map[string]any{"job": map[string]any{"no": j.No, "stage": j.Stage, "logged": j.Logged}}}
}

func refuse(format string, args ...any) result {
	return result{http.StatusUnprocessableEntity, map[string]string{"problem": fmt.Sprintf(format, args...)}}
}

// on finds the job that a request is about and takes the caller's words in.
func (s *Standin) on(h House, no string, r request, what string, change func(*Job) string) result {
	j := s.job(h.Key, no)
	if j == nil {
		return result{http.StatusNotFound, map[string]string{"problem": "no job " + no}}
	}
	if why := change(j); why != "" {
		return refuse("%s", why)
	}
	s.happen(h.Key, Happening{Job: no, What: what, By: By{Side: "caller", Name: r.Caller}, Words: r.Words, Stage: j.Stage,
		Grade: j.Grade})
	list := s.houses[h.Key].Happenings
	return result{http.StatusOK,
		map[string]any{"taken": map[string]any{"seq": list[len(list)-1].Seq, "at": list[len(list)-1].At}}}
}

func (s *Standin) remark(h House, no string, r request) result {
	return s.on(h, no, r, "remark", func(j *Job) string {
		if j.Shut {
			return "the job is shut; ask for it to be taken up again"
		}
		return ""
	})
}

func (s *Standin) grade(h House, no string, r request) result {
	return s.on(h, no, r, "grade", func(j *Job) string {
		if !slices.Contains(h.Grades, r.Grade) {
			return fmt.Sprintf("%q is none of the grades %v", r.Grade, h.Grades)
		}
		j.Grade = r.Grade
		return ""
	})
}

func (s *Standin) end(h House, no string, r request) result {
	return s.on(h, no, r, "end", func(j *Job) string {
		j.Shut, j.Stage = true, "shut"
		return ""
	})
}

func (s *Standin) again(h House, no string, r request) result {
	return s.on(h, no, r, "again", func(j *Job) string {
		if j.Shut {
			j.Shut, j.Stage, j.Since = false, "logged", s.now()
			if len(manners[j.Manner]) >= 2 {
				j.Step = len(manners[j.Manner]) - 2
			}
		}
		return ""
	})
}

// page cuts a list as the lists of a house are cut.
func page[T any](r *http.Request, list []T) (part []T, pages int) {
	n, _ := strconv.Atoi(r.URL.Query().Get("page"))
	n = max(n, 1)
	pages = max(1, (len(list)+pageSize-1)/pageSize)
	from := min((n-1)*pageSize, len(list))
	return append([]T{}, list[from:min(from+pageSize, len(list))]...), pages
}

// visible leaves out what a lagging list does not show yet.
func (s *Standin) visible(key string, at time.Time) bool {
	lag := time.Duration(0)
	if ways := s.houses[key].Ways; len(ways) > 0 && ways[0] == "lag" {
		lag = time.Duration(float64(10*time.Second) / s.haste)
	}
	return !at.After(s.now().Add(-lag))
}

func (s *Standin) jobs(w http.ResponseWriter, r *http.Request) {
	key := r.PathValue("house")
	since, _ := time.Parse(time.RFC3339, r.URL.Query().Get("since"))
	s.mu.Lock()
	defer s.mu.Unlock()
	st := s.houses[key]
	if st == nil {
		problem(w, http.StatusNotFound, "no such house")
		return
	}
	var list []*Job
	for _, j := range st.Jobs {
		if !j.Logged.Before(since) && s.visible(key, j.Logged) {
			list = append(list, j)
		}
	}
	part, pages := page(r, list)
	answer(w, http.StatusOK, map[string]any{"jobs": part, "pages": pages})
}

func (s *Standin) jobHappenings(w http.ResponseWriter, r *http.Request) {
	key, no := r.PathValue("house"), r.PathValue("no")
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.houses[key] == nil || s.job(key, no) == nil {
		problem(w, http.StatusNotFound, "no such job")
		return
	}
	var list []Happening
	for _, h := range s.houses[key].Happenings {
		if h.Job == no && s.visible(key, h.At) {
			list = append(list, h)
		}
	}
	part, pages := page(r, list)
	answer(w, http.StatusOK, map[string]any{"happenings": part, "pages": pages})
}

func (s *Standin) happenings(w http.ResponseWriter, r *http.Request) {
	key := r.PathValue("house")
	past, _ := strconv.ParseInt(r.URL.Query().Get("past"), 10, 64)
	s.mu.Lock()
	defer s.mu.Unlock()
	st := s.houses[key]
	if st == nil {
		problem(w, http.StatusNotFound, "no such house")
		return
	}
	list := []Happening{}
	for _, h := range st.Happenings[min(max(past, 0), int64(len(st.Happenings))):] {
		if !s.visible(key, h.At) || len(list) == 100 {
			break
		}
		list = append(list, h)
	}
	answer(w, http.StatusOK, map[string]any{"happenings": list})
}

// play takes orders to misbehave: {"ways": ["cut", "late"]}.
func (s *Standin) play(w http.ResponseWriter, r *http.Request) {
	var req struct {
		Ways []string `json:"ways"`
	}
	if err := json.NewDecoder(r.Body).Decode(&req); err != nil || s.houses[r.PathValue("house")] == nil {
		problem(w, http.StatusBadRequest,
			"say {\"ways\": [\"cut\", \"late\", \"lag\", \"short\", \"garbage\", \"down\", \"well\"]} to a house")
		return
	}
	s.Misbehave(r.PathValue("house"), req.Ways...)
	w.WriteHeader(http.StatusNoContent)
}
