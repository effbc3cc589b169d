package application

import (
	"crypto/sha256"
	"encoding/base64"
)

const awayStyle = `body{margin:0;background:#f6f4ee;color:#17263a;font:15px/1.5 system-ui,` +
	`sans-serif}main{max-width:440px;margin:22vh auto;padding:0 24px}h1{font-size:22px;margin:0 0 ` +
	`8px}p{color:#4d5a6a;margin:0}
@media(prefers-color-scheme:dark){body{background:#12181f;color:#eceae3}p{color:#aab4bf}}`

const awayPage = `<!doctype html><html lang="en"><meta charset="utf-8">
	<meta name="viewport" content="width=device-width"><title>Back in a moment · Plain Pelican</title><style>` +
	awayStyle + `</style>
<main><h1>The database does not answer</h1>
<p>Nothing is lost. This page looks again every few seconds and goes on by itself.</p></main></html>`

var awayStyleHash = func() string {
	sum := sha256.Sum256([]byte(awayStyle))
	return base64.StdEncoding.EncodeToString(sum[:])
}()
