package search

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/terms"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Synonyms are words that mean the same to the seller, for all who work here.
type Synonyms struct {
	Groups [][]string `json:"groups" maxItems:"200" doc:"Words and phrases that are found by each other"`
	// Version tells one list from another, so that nobody's changes are lost.
	Version string `json:"version" maxLength:"64" doc:"Of the list that was read"`
}

func synonymsOf(groups [][]string) (out Synonyms, err error) {
	out.Groups = apikit.List(groups)
	content, err := json.Marshal(out.Groups)
	sum := sha256.Sum256(content)
	out.Version = hex.EncodeToString(sum[:8])
	return out, err
}

// Synonyms are those that were said last.
func (s *Service) Synonyms(ctx context.Context) (Synonyms, error) { return readSynonyms(ctx, s.pool) }

// recentFor is how old the synonyms of a search may be, where another instance has changed them.
const recentFor = 2 * time.Second

// cachedSynonyms are those that were read last.
type cachedSynonyms struct {
	groups [][]string
	at     time.Time
}

// recentSynonyms are those of a moment ago: a search at each key does not read them.
func (s *Service) recentSynonyms(ctx context.Context) ([][]string, error) {
	if known := s.synonyms.Load(); known != nil && time.Since(known.at) < recentFor {
		return known.groups, nil
	}
	at := time.Now()
	list, err := s.Synonyms(ctx)
	if err == nil {
		s.synonyms.Store(&cachedSynonyms{list.Groups, at})
	}
	return list.Groups, err
}

func readSynonyms(ctx context.Context, db database.Querier) (Synonyms, error) {
	rows, err := db.Query(ctx, `select words from synonym order by position`)
	if err != nil {
		return Synonyms{}, err
	}
	groups, err := pgx.CollectRows(rows, pgx.RowTo[[]string])
	if err != nil {
		return Synonyms{}, err
	}
	return synonymsOf(groups)
}

const (
	maxSynonyms      = 12 // of one group
	maxSynonymLength = 60 // in bytes
)

func (s *Service) setSynonyms(ctx context.Context, in Synonyms) (Synonyms, error) {
	var groups [][]string
	for _, group := range in.Groups {
		var words []string
		for _, w := range group {
			w = strings.Join(strings.Fields(w), " ")
			switch cut := terms.Of(w); {
			case w == "":
				continue
			case len(cut) == 0:
				return in, apikit.Problem(422, "groups", "“%s” has no letter or digit.", w)
			case len(w) > maxSynonymLength:
				return in,
					apikit.Problem(422, "groups", "“%.20s…” is too long: %d characters at most.", w, maxSynonymLength)
			}
			if !slices.ContainsFunc(words, func(other string) bool {
				return slices.Equal(terms.Of(other), terms.Of(w))
			}) {
				words = append(words, w)
			}
		}
		switch {
		case len(words) == 1:
			return in,
				apikit.Problem(422, "groups", "“%s” stands alone: say what means the same, as in “cup = mug”.",
					words[0])
		case len(words) > maxSynonyms:
			return in,
				apikit.Problem(422, "groups", "“%s” has %d words: %d at most mean the same.", words[0], len(words),
					maxSynonyms)
		case len(words) > 0:
			groups = append(groups, words)
		}
	}
	err := database.InTx(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table synonym in exclusive mode`); err != nil {
			return err
		}
		if now, err := readSynonyms(ctx, tx); err != nil || now.Version != in.Version {
			return cmp.Or(err,
				apikit.Problem(409, "version",
					"Somebody has changed the list meanwhile. It is shown as it is now: add yours again."))
		}
		if _, err := tx.Exec(ctx, `delete from synonym`); err != nil {
			return err
		}
		for i, words := range groups {
			if _, err := tx.Exec(ctx, `insert into synonym (position, words) values ($1, $2)`, i, words); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return in, err
	}
	s.synonyms.Store(nil)
	return synonymsOf(groups)
}
