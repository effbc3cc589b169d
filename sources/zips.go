package sources

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/pictures"
)

// pictureZip tells whether a file is a zip that is no workbook.
func pictureZip(f *os.File) (*zip.Reader, bool) {
	info, err := f.Stat()
	if err != nil {
		return nil, false
	}
	z, err := zip.NewReader(f, info.Size())
	if err != nil {
		return nil, false
	}
	for _, entry := range z.File {
		if entry.Name == "[Content_Types].xml" { // ISO/IEC 29500-2: an office document
			return nil, false
		}
	}
	return z, true
}

// unpack keeps the pictures of a zip that was sent for a list, and has the import go on with
// the list itself: its newest file, or the one at its address. What is not a picture is set aside.
func (s *Service) unpack(ctx context.Context, in *activeImport, z *zip.Reader) error {
	if err := pricelist.CheckZip(z); err != nil {
		return listError(err)
	}
	kept := 0
	aside := [][]any{}
	for _, entry := range z.File {
		name := strings.ReplaceAll(strings.ToValidUTF8(entry.Name, "\ufffd"), "\x00", "")
		if entry.FileInfo().IsDir() || strings.HasPrefix(path.Base(name), ".") || strings.Contains(name, "__MACOSX") {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		hash, err := s.savePicture(entry)
		if err != nil {
			aside = append(aside, []any{in.ID, "in the zip: " + name, err.Error(), name})
			continue
		}
		if _, err := s.Pool.Exec(ctx, `insert into uploaded_picture (source_id, name, hash) values ($1, $2, $3)
			on conflict (source_id, name) do update set hash = excluded.hash`, in.SourceID, pricelist.PictureName(name),
			hash); err != nil {
			return err
		}
		kept++
	}
	if kept == 0 {
		return apikit.Problem(422, "file", "There is no picture in this zip.")
	}
	list, err := s.listBefore(ctx, in)
	if err != nil {
		return err
	}
	zipped := in.file
	in.file, in.Rejected = list, len(aside)
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		// of an unpacking that was killed
		if _, err := tx.Exec(ctx, `delete from rejected_row where import_id = $1`, in.ID); err != nil {
			return err
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"rejected_row"},
			[]string{"import_id", "position", "reason", "content"}, pgx.CopyFromRows(aside)); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `update import_run set file = $2, rejected = $3 where id = $1`, in.ID, list, len(aside))
		return err
	})
	if err != nil {
		return err
	}
	return s.removeUnused(ctx, zipped) // its pictures are kept
}

// listBefore is the newest file of a list; none, to be fetched, where the list has an address.
func (s *Service) listBefore(ctx context.Context, in *activeImport) (string, error) {
	if in.source.Address != "" {
		return "", nil
	}
	rows, err := s.Pool.Query(ctx, `select file from import_run
		where source_id = $1 and id <> $2 and file <> '' and is_full order by id desc limit 20`, in.SourceID, in.ID)
	if err != nil {
		return "", err
	}
	files, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return "", err
	}
	for _, hash := range files {
		file, err := s.Blobs.Open(hash)
		if err != nil {
			continue
		}
		_, zipped := pictureZip(file)
		_ = file.Close()
		if !zipped {
			return hash, nil
		}
	}
	return "",
		apikit.Problem(409, "file", "The pictures are kept, but the list itself is not here any more. Send it again.")
}

// savePicture keeps one picture. Its error is a clause that says what is wrong with it.
func (s *Service) savePicture(entry *zip.File) (hash string, err error) {
	if entry.UncompressedSize64 > pictures.MaxBytes {
		return "", fmt.Errorf("it has more than %d MB", pictures.MaxBytes>>20)
	}
	in, err := entry.Open()
	if err != nil {
		return "", fmt.Errorf("it cannot be unpacked")
	}
	defer func() { _ = in.Close() }()
	content, err := io.ReadAll(io.LimitReader(in, pictures.MaxBytes+1)) // whatever its header says
	if err != nil || len(content) > pictures.MaxBytes {
		return "", fmt.Errorf("it cannot be unpacked")
	}
	if _, _, err := pictures.Check(bytes.NewReader(content)); err != nil {
		return "", err
	}
	return s.Blobs.Put(content)
}

// uploadedPictures are the pictures that were sent beside a source's list, by name.
func (s *Service) uploadedPictures(ctx context.Context, db database.Querier, sourceID int64) (map[string]string,
	error) {
	rows, err := db.Query(ctx, `select name, hash from uploaded_picture where source_id = $1`, sourceID)
	if err != nil {
		return nil, err
	}
	var sent map[string]string
	var name, hash string
	_, err = pgx.ForEachRow(rows, []any{&name, &hash}, func() error {
		if sent == nil {
			sent = map[string]string{}
		}
		sent[name] = source.KeptPicture + hash
		return nil
	})
	return sent, err
}
