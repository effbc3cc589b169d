package application_test

import (
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"plainpelican/testkit"
)

// owners are the packages that write each table. Others read what the schema "facts" shows of it.
var owners = map[string][]string{
	"application": {"installation"},
	"matching":    {"match_decision"},
	"media":       {"picture"},
	"members":     {"api_token", "audit_entry", "known_device", "member", "sessions", "sign_in_attempt"},
	"offers":      {"catalog_change", "offer", "offer_variant", "offer_version", "supplier"},
	"orders": {"auto_buy", "claim", "customer_order", "order_event", "order_feed", "order_line", "parcel", "purchase",
		"purchase_line", "purchase_message", "refund", "rejected_order", "slip_settings", "store_message"},
	"platform/progress": {"progress_event"},
	"pricing":           {"money_rules", "price", "price_pin", "rate_day", "reprice_run"},
	"publishing": {"listing", "listing_price", "listing_variant", "publication", "publish_item", "publish_run",
		"publish_target", "store_picture"},
	"requests": {"quote", "quote_request", "request_source"},
	"search":   {"saved_search", "standard", "synonym"},
	"sources": {"category", "category_mapping", "import_run", "link_result", "rejected_row", "source", "upload",
		"uploaded_picture"},
	"stores":       {"store", "store_approval", "store_pace"},
	"stores/files": {"file_product"},
	"workbench":    {"draft", "draft_edit", "draft_variant", "manual_price", "tray", "wording"},
}

// named finds the tables of a statement, with the word before each.
var named = regexp.MustCompile(
	`(?i)\b(from|join|into|update|truncate|copy|references)\s+(?:only\s+)?((?:facts\.)?[a-z_]+)\b`)

func TestEachTableHasOneOwner(t *testing.T) {
	ownerOf := map[string]string{}
	for pkg, tables := range owners {
		for _, table := range tables {
			if before, twice := ownerOf[table]; twice {
				t.Errorf("%s belongs to %s and %s", table, before, pkg)
			}
			ownerOf[table] = pkg
		}
	}
	t.Run("every table is owned", func(t *testing.T) {
		pool := testkit.Database(t)
		rows, err := pool.Query(t.Context(), `select table_name from information_schema.tables
			where table_schema = 'public'
			and table_type = 'BASE TABLE' and table_name not like 'river%' and table_name not like 'goose%'
			and table_name not like 'staged%'`)
		if err != nil {
			t.Fatal(err)
		}
		defer rows.Close()
		for rows.Next() {
			var table string
			if err := rows.Scan(&table); err != nil {
				t.Fatal(err)
			}
			if ownerOf[table] == "" {
				t.Errorf("nobody owns %s", table)
			}
		}
	})
	read := 0
	eachStatement(t, func(pkg, where, sql string) {
		for _, m := range named.FindAllStringSubmatch(sql, -1) {
			verb, table := strings.ToLower(m[1]), m[2]
			bare, fact := strings.CutPrefix(table, "facts.")
			owner := ownerOf[bare]
			switch {
			case owner == "":
				continue // an alias, a function, a part of a sentence
			case owner == pkg:
			case !fact:
				t.Errorf("%s: %s is %s's; read facts.%s", where, bare, owner, bare)
			case verb != "from" && verb != "join":
				t.Errorf("%s: %s writes facts.%s", where, verb, bare)
			}
			read++
		}
	})
	if read < 200 {
		t.Errorf("%d tables were found in statements: is SQL still written so?", read)
	}
}

// Statements that stand in one piece name tables and columns that there are.
func TestStatementsFitTheSchema(t *testing.T) {
	conn, err := testkit.Database(t).Acquire(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Release()
	fit := 0
	eachStatement(t, func(_, where, sql string) {
		_, err := conn.Conn().Prepare(t.Context(), "", sql)
		var refused *pgconn.PgError
		switch {
		case err == nil:
			fit++
		case !errors.As(err, &refused):
			t.Fatal(err)
		case refused.Code == "42703", // a column that is not there; then a table
			refused.Code == "42P01" && !strings.Contains(refused.Message, "FROM-clause"):
			t.Errorf("%s: %s", where, refused.Message)
		}
	})
	if fit < 200 {
		t.Errorf("only %d statements were seen to fit", fit)
	}
}

// eachStatement calls do with the SQL in the string literals of the application's packages.
func eachStatement(t *testing.T, do func(pkg, where, sql string)) {
	t.Helper()
	skipped := []string{"cmd", "core", "connect", "docs", "e2e", "faults", "node_modules", "standins", "testkit", "web",
		".git", ".pelican", "bin"}
	begins := regexp.MustCompile(`(?i)^\s*(with|select|insert|update|delete|from|left join|join|where|and|copy|,)\b|` +
		`\bselect\b`)
	err := filepath.WalkDir(testkit.Root(), func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && slices.Contains(skipped, d.Name()) {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		files := token.NewFileSet()
		file, err := parser.ParseFile(files, path, nil, 0)
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(testkit.Root(), filepath.Dir(path))
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			lit, ok := n.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING || !strings.HasPrefix(lit.Value, "`") {
				return true
			}
			if sql, err := strconv.Unquote(lit.Value); err == nil && begins.MatchString(sql) {
				do(filepath.ToSlash(rel), files.Position(lit.Pos()).String(), sql)
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
