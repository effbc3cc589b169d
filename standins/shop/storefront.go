package shop

import (
	"cmp"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
)

const look = `<meta charset="utf-8"><meta name="viewport" content="width=device-width">
	<style>body{font:16px/1.5 Georgia,serif;margin:0;color:#1d2b25;background:#fbfbf8}
header{padding:18px 32px;border-bottom:1px solid #dfe3dc;font-size:22px}header a{color:inherit;` +
	`text-decoration:none}main{max-width:1000px;margin:28px auto;padding:0 32px}
.grid{display:grid;grid-template-columns:repeat(4,1fr);gap:20px}.grid a{color:inherit;text-decoration:none}.grid ` +
	`img{width:100%;border-radius:6px}
.two{display:grid;grid-template-columns:1fr 1fr;gap:32px}.two img{width:100%;border-radius:6px}.thumbs ` +
	`img{width:84px;margin:6px 6px 0 0}td{padding:4px 14px 4px 0}</style>`

var pages = template.Must(template.New("all").
	Parse(`{{define "all"}}<!doctype html><html lang="en"><title>{{.Name}}</title>` + look + `
<header><a href="/">{{.Name}}</a></header><main>{{if not .Products}}<p>Nothing is for sale yet.</p>{{end}}
<div class="grid">{{range .Products}}<a href="/products/{{.Handle}}">{{with .Pictures}}
<img src="/pictures/{{index . 0}}" alt="">{{end}}<b>{{.Title}}</b></a>{{end}}</div></main></html>{{end}}
{{define "one"}}<!doctype html><html lang="en"><title>{{or .Product.SearchTitle .Product.Title}} | {{.Name}}</title>
{{with .Product.SearchDescription}}<meta name="description" content="{{.}}">{{end}}` + look + `
<header><a href="/">{{.Name}}</a></header><main class="two"><div>{{range $i, $p := .Product.Pictures}}{{if eq $i 0}}
<img src="/pictures/{{$p}}" alt="{{$.Product.Title}}"><div class="thumbs">{{else}}<img src="/pictures/{{$p}}" alt="">
{{end}}{{end}}{{if .Product.Pictures}}</div>{{end}}</div>
<div><h1>{{.Product.Title}}</h1><p>{{.Product.Vendor}}{{with .Product.Type}} · {{.}}{{end}}</p>
{{with .Product.Collections}}<p class="collections">In {{range $i, $c := .}}{{if $i}}, {{end}}{{$c}}{{end}}</p>
{{end}}<table><thead><tr>{{range .Product.Options}}<td>{{.Name}}</td>
{{end}}<td>Price</td></tr></thead>{{range .Product.Variants}}<tr class="variant">{{range .Values}}<td>{{.}}</td>{{end}}
<td class="price">{{.Price}} {{$.Currency}}{{if .WasPrice}} <s>{{.WasPrice}}</s>{{end}}</td><td>
{{if .Stock}}in stock{{else}}sold out{{end}}</td></tr>{{end}}</table><form method="post" class="buy"><p><label>Choose
<select name="variant">{{range .Product.Variants}}
<option value="{{.ID}}"{{if not .Stock}} disabled{{end}}>{{range $i, $v := .Values}}{{if $i}}, {{end}}{{$v}}{{else}}
{{$.Product.Title}}{{end}}</option>{{end}}</select></label>
<label>How many <input name="quantity" type="number" value="1" min="1" max="20"></label></p>
<p><label>Name <input name="name" required></label> <label>Mail <input name="email" type="email" required></label>
<label>Telephone <input name="phone"></label></p>
<p><label>Street <input name="line1" required></label> <label>City <input name="city" required></label>
<label>State <input name="region"></label> <label>Postcode <input name="postcode"></label>
<label>Country <select name="country">{{range .ShipsTo}}<option>{{.}}</option>{{end}}</select></label></p>
<button>Buy and pay</button></form><div class="description">{{.Description}}</div>
</div></main></html>{{end}}
{{define "order"}}<!doctype html><html lang="en"><title>Order {{.Order.Number}} | {{.Name}}</title>` + look + `
<header><a href="/">{{.Name}}</a></header><main><h1>Thank you. Your order is {{.Order.Number}}</h1>
{{if .Order.Cancelled}}<p>It was cancelled.</p>{{end}}
<table>{{range .Order.Lines}}<tr><td>{{.Quantity}} ×</td><td>{{.Title}} {{.Variant}}</td><td>{{.Price}}</td></tr>{{end}}
<tr><td></td><td>Total with delivery</td><td>{{.Order.Total}} {{.Order.Currency}}</td></tr></table>
{{range .Order.Fulfilments}}<p class="parcel">On its way with {{.Carrier}}: {{.Number}}</p>{{else}}
<p>It is being prepared.</p>{{end}}</main></html>{{end}}`))

func (p *Server) showAll(w http.ResponseWriter, _ *http.Request) {
	shown := slices.DeleteFunc(p.Products(), func(x Product) bool { return !x.Visible })
	slices.SortFunc(shown, func(a, b Product) int { return cmp.Compare(b.ID, a.ID) })
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pages.ExecuteTemplate(w, "all", map[string]any{"Name": p.Name, "Products": shown})
}

func (p *Server) showProduct(w http.ResponseWriter, r *http.Request) {
	all := p.Products()
	at := slices.IndexFunc(all, func(x Product) bool { return x.Handle == r.PathValue("handle") && x.Visible })
	if at < 0 {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "script-src 'none'")
	_ = pages.ExecuteTemplate(w, "one", map[string]any{"Name": p.Name, "Currency": p.Currency, "Product": all[at],
		"ShipsTo":     p.ShipsTo,
		"Description": template.HTML(all[at].Description)}) // scripts are refused by the page's policy
}

func (p *Server) showPicture(w http.ResponseWriter, r *http.Request) {
	sha := r.PathValue("sha")
	if !hexName.MatchString(sha) {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	http.ServeFile(w, r, strings.TrimSpace(p.picturePath(sha)))
}

// buyHere is what a customer's button does.
func (p *Server) buyHere(w http.ResponseWriter, r *http.Request) {
	all := p.Products()
	at := slices.IndexFunc(all, func(x Product) bool { return x.Handle == r.PathValue("handle") && x.Visible })
	if at < 0 {
		http.NotFound(w, r)
		return
	}
	quantity, _ := strconv.Atoi(r.FormValue("quantity"))
	o, err := p.Buy([]Bought{{all[at].ID, r.FormValue("variant"), quantity}}, Address{Name: r.FormValue("name"),
		Line1: r.FormValue("line1"), City: r.FormValue("city"), Region: r.FormValue("region"),
		Postcode: r.FormValue("postcode"), Country: r.FormValue("country")}, r.FormValue("email"), r.FormValue("phone"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusConflict)
		return
	}
	http.Redirect(w, r, "/orders/"+o.ID+"?key="+o.Key, http.StatusSeeOther)
}

// showOrder is the customer's own page of an order.
func (p *Server) showOrder(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	o, key := p.state.Orders[r.PathValue("id")], p.state.OrderKeys[r.PathValue("id")]
	p.mu.Unlock()
	if o == nil || key == "" || r.URL.Query().Get("key") != key {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pages.ExecuteTemplate(w, "order", map[string]any{"Name": p.Name, "Order": o})
}
