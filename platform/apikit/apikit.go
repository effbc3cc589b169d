// Package apikit registers operations: each with the role it needs, its place in the
// OpenAPI document, and errors as RFC 9457 problems with a sentence for a person.
package apikit

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"path"
	"reflect"
	"slices"
	"strings"
	"unicode"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/jackc/pgx/v5/pgconn"

	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
)

// API is where features register operations.
type API struct {
	huma   huma.API
	router chi.Router
	roles  map[string]access.Role
	log    *slog.Logger
}

// Version is the version of the API and of the application.
const Version = "0.1.0"

type amountDoc struct {
	Value    string `json:"value" doc:"Decimal text in major units, exactly the currency's digits" example:"19.99"`
	Currency string `json:"currency" doc:"ISO 4217 code" example:"USD"`
}

// New puts an API on a router.
func New(router chi.Router, log *slog.Logger) *API {
	config := huma.DefaultConfig("Plain Pelican", Version)
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil // no $schema links in answers
	config.Info.Description = "Everything the screens do. Sign in with a session cookie, or send a personal token as " +
		"a bearer token."
	config.Info.Contact = &huma.Contact{Name: "Whoever runs this installation"}
	config.Servers = []*huma.Server{{URL: "/", Description: "This installation"}}
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {Type: "apiKey", In: "cookie", Name: "session"},
		"token":   {Type: "http", Scheme: "bearer"},
	}
	registry := huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.Schemas = registry
	registry.RegisterTypeAlias(reflect.TypeFor[money.Amount](), reflect.TypeFor[amountDoc]())
	for _, text := range []reflect.Type{reflect.TypeFor[money.Currency](), reflect.TypeFor[money.Ratio]()} {
		registry.RegisterTypeAlias(text, reflect.TypeFor[string]())
	}
	return &API{humachi.New(router, config), router, map[string]access.Role{}, log}
}

// schemaName puts the package before a type's name, so that each capability may name its
// types plainly: search.Line is SearchLine.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	if t.Name() == "" || !strings.HasPrefix(t.PkgPath(), "plainpelican/") {
		return name
	}
	pkg := path.Base(t.PkgPath())
	return strings.ToUpper(pkg[:1]) + pkg[1:] + strings.ToUpper(name[:1]) + name[1:]
}

// Document is the OpenAPI 3.1 document of everything registered.
func (a *API) Document() *huma.OpenAPI {
	document := a.huma.OpenAPI()
	var names []string
	for _, path := range document.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op != nil {
				names = append(names, op.Tags...)
			}
		}
	}
	slices.Sort(names)
	document.Tags = nil
	for _, name := range slices.Compact(names) {
		document.Tags = append(document.Tags, &huma.Tag{Name: name})
	}
	return document
}

// Roles maps "METHOD path" to the role that each operation needs.
func (a *API) Roles() map[string]access.Role { return a.roles }

// Register adds an operation that needs a role.
func Register[I, O any](a *API, needs access.Role, method, path, id, summary string,
	handle func(context.Context, *I) (*O, error)) {
	a.roles[method+" "+path] = needs
	op := huma.Operation{Method: method, Path: path, OperationID: id, Summary: summary,
		Errors: []int{400, 401, 403, 404, 409, 422}}
	described(&op, needs)
	if needs != access.Public {
		op.Middlewares = huma.Middlewares{func(ctx huma.Context, next func(huma.Context)) {
			if status, words := refusal(ctx.Context(), needs); status != 0 {
				_ = huma.WriteErr(a.huma, ctx, status, words)
				return
			}
			next(ctx)
		}}
	}
	huma.Register(a.huma, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := handle(ctx, in)
		if err != nil {
			return out, a.plain(ctx, op.OperationID, err)
		}
		return out, nil
	})
}

// What callers are told where the fault is not theirs.
const (
	OurSide = "Something went wrong on our side. Try again; if it stays, tell whoever runs this the request's " +
		"id, which its log names."
	DatabaseAway = "The database does not answer. Nothing was changed; try again in a moment."
)

// plain is the one place where an error that is not for a person is logged, with the request's id, and
// becomes a sentence: neither the database's words, nor paths, nor addresses leave the house.
func (a *API) plain(ctx context.Context, operation string, err error) error {
	if IsProblem(err) {
		return err
	}
	var pg *pgconn.PgError
	switch {
	case errors.Is(err, context.Canceled):
		return Problem(499, "", "The request was given up.")
	case database.Away(err):
		a.log.Error("the database does not answer", "id", middleware.GetReqID(ctx), "operation", operation, "error",
			err)
		return Problem(http.StatusServiceUnavailable, "", DatabaseAway)
	case blobs.Fault(err):
		a.log.Error("the data folder", "id", middleware.GetReqID(ctx), "operation", operation, "error", err)
		return Problem(http.StatusInsufficientStorage, "", "Nothing was saved: %s.", err)
	case errors.As(err, &pg) && (pg.Code == "22021" || pg.Code == "22P05"):
		return Problem(http.StatusUnprocessableEntity, "",
			"A text holds a character that cannot be kept (U+0000 or broken UTF-8). Take it out.")
	case errors.As(err, &pg) && pg.Code == "22003":
		return Problem(http.StatusUnprocessableEntity, "", "A number is larger than can be kept.")
	}
	a.log.Error("an operation failed", "id", middleware.GetReqID(ctx), "operation", operation, "error", err)
	return Problem(http.StatusInternalServerError, "", OurSide)
}

// described says in the document who may use an operation, and what it is about.
func described(op *huma.Operation, needs access.Role) {
	op.Description = op.Summary + "."
	op.Security = []map[string][]string{{}} // nobody needs to be signed in
	if needs != access.Public {
		op.Description += " Needs the role " + string(needs) + "."
		op.Security = []map[string][]string{{"session": {}}, {"token": {}}}
		op.Extensions = map[string]any{"x-role": string(needs)}
	}
	about, _, _ := strings.Cut(strings.TrimPrefix(op.Path, "/api/"), "/")
	op.Tags = []string{about}
}

// Schema is that of a type's value, for the document of a plain handler's operation.
func (a *API) Schema(of any) *huma.Schema {
	return a.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeOf(of), true, "")
}

// Content is a body in the document of a plain handler's operation: bytes of a media type.
func Content(mediaType string) map[string]*huma.MediaType {
	return map[string]*huma.MediaType{mediaType: {Schema: &huma.Schema{Type: "string", Format: "binary"}}}
}

// RawDocumented is Raw with a place in the document: the operation's method, path, id, summary, parameters and bodies.
func (a *API) RawDocumented(needs access.Role, op huma.Operation, handle http.HandlerFunc) {
	described(&op, needs)
	a.huma.OpenAPI().AddOperation(&op)
	a.Raw(needs, op.Method, op.Path, handle)
}

// Raw adds a plain handler that needs a role, for streams and pictures.
func (a *API) Raw(needs access.Role, method, path string, handle http.HandlerFunc) {
	a.roles[method+" "+path] = needs
	a.router.MethodFunc(method, path, func(w http.ResponseWriter, r *http.Request) {
		if status, words := refusal(r.Context(), needs); status != 0 {
			WriteProblem(w, status, "", words)
			return
		}
		handle(w, r)
	})
}

// refusal is the one place where roles are enforced.
func refusal(ctx context.Context, needs access.Role) (int, string) {
	who := access.Who(ctx)
	switch {
	case needs == access.Public || who.Role.Allows(needs):
		return 0, ""
	case who.Role == access.Public:
		return http.StatusUnauthorized, "Sign in first."
	}
	return http.StatusForbidden, fmt.Sprintf("This needs the role %s; yours is %s.", needs, who.Role)
}

// Problem is an error for a person: a sentence, and the field at fault where there is one.
func Problem(status int, field, format string, args ...any) error {
	sentence := fmt.Sprintf(format, args...)
	if field == "" {
		return huma.NewError(status, sentence)
	}
	return huma.NewError(status, sentence, &huma.ErrorDetail{Location: "body." + field, Message: sentence})
}

// Sentence writes an error as one.
func Sentence(err error) string {
	text := []rune(strings.TrimSuffix(err.Error(), "."))
	if len(text) > 0 && !strings.HasPrefix(err.Error(), "http") { // an address stays as it is
		text[0] = unicode.ToUpper(text[0])
	}
	return string(text) + "."
}

// WriteProblem answers a plain handler's request with a problem.
func WriteProblem(w http.ResponseWriter, status int, field, sentence string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(Problem(status, field, "%s", sentence))
}

// Fail answers a plain handler's request with what is wrong with it: a problem for a person as it is, the database's
// absence, or that the fault is ours.
func Fail(w http.ResponseWriter, err error) {
	var model *huma.ErrorModel
	switch {
	case errors.As(err, &model):
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(model.Status)
		_ = json.NewEncoder(w).Encode(model)
	case database.Away(err):
		WriteProblem(w, http.StatusServiceUnavailable, "", "The database does not answer. Try again in a moment.")
	default:
		WriteProblem(w, http.StatusInternalServerError, "", "Something went wrong on our side. Nothing was changed.")
	}
}

// WriteJSON answers a plain handler's request.
func WriteJSON(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body)
}

// NotFound says that a thing is not there (any more).
func NotFound(what string) error {
	return Problem(http.StatusNotFound, "", "That %s is not here any more.", what)
}

// IsProblem tells whether an error is already one for a person.
func IsProblem(err error) bool {
	var status huma.StatusError
	return errors.As(err, &status)
}

// Body wraps an answer.
type Body[T any] struct{ Body T }

// OK makes an answer from a body and an error.
func OK[T any](body T, err error) (*Body[T], error) {
	if err != nil {
		return nil, err
	}
	return &Body[T]{body}, nil
}

// None is the input or answer of an operation without one.
type None struct{}

// ByID is the input of an operation on one thing.
type ByID struct {
	ID int64 `path:"id"`
}

// Tenths writes a rating as people read it: 47 is 4.7; nothing where it is not known.
func Tenths(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf("%d.%d", n/10, n%10)
}

// List is a list that is never null, in JSON and in a column.
func List[T any](items []T) []T {
	if items == nil {
		return []T{}
	}
	return items
}

// Known is a number, nil where it is the one that stands for not known.
func Known(n, unknown int32) *int {
	if n == unknown {
		return nil
	}
	known := int(n)
	return &known
}
