package settings

import (
	"strings"
	"testing"
)

const key = "AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="

func TestReading(t *testing.T) {
	t.Setenv("DATABASE_URL", "postgres://x")
	t.Setenv("PELICAN_KEY", key)
	t.Setenv("PORT", "9000")
	t.Setenv("PELICAN_ALLOW_NETWORKS", "127.0.0.0/8, 10.1.0.0/16")
	s, err := Read()
	if err != nil || s.Listen != "127.0.0.1:9000" || s.PublicURL != "http://localhost:9000" ||
		len(s.AllowNetworks) != 2 || !s.Workers || s.Data != "data" {
		t.Errorf("%+v %v", s, err)
	}
	t.Setenv("PELICAN_WORKERS", "off")
	t.Setenv("PELICAN_PUBLIC_URL", "https://shop.example/")
	if s, err = Read(); err != nil || s.Workers || s.PublicURL != "https://shop.example" {
		t.Errorf("%+v %v", s, err)
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	for name, value := range map[string]string{"DATABASE_URL": "", "PELICAN_KEY": "short",
		"PELICAN_ALLOW_NETWORKS": "everything"} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("DATABASE_URL", "postgres://x")
			t.Setenv("PELICAN_KEY", key)
			t.Setenv(name, value)
			if _, err := Read(); err == nil || !strings.Contains(err.Error(), name) {
				t.Errorf("%v", err)
			}
		})
	}
}
