// Package settings reads the application's settings from environment variables.
package settings

import (
	"encoding/base64"
	"fmt"
	"net/netip"
	"os"
	"strconv"
	"strings"
)

// Settings are everything an operator can set. The README lists them with their defaults.
type Settings struct {
	// DatabaseURL is DATABASE_URL, a PostgreSQL address.
	DatabaseURL string
	// Listen is PELICAN_LISTEN, the address to listen on; PORT sets its port.
	Listen string
	// PublicURL is PELICAN_PUBLIC_URL, how browsers reach the application; stores send people back to it.
	PublicURL string
	// Data is PELICAN_DATA, the folder that pictures are kept in.
	Data string
	// Key is PELICAN_KEY, 32 bytes in base64 that seal connection secrets.
	Key []byte
	// AllowNetworks is PELICAN_ALLOW_NETWORKS, ranges of private addresses that may be fetched from.
	AllowNetworks []netip.Prefix
	// Proxies is PELICAN_PROXIES, the addresses of reverse proxies whose word is taken for where a request comes from.
	Proxies []netip.Prefix
	// RatesURL is PELICAN_RATES_URL, where daily exchange rates come from.
	RatesURL string
	// Workers is whether this instance does background work: PELICAN_WORKERS, on unless "off".
	Workers bool
	// PicturesAhead is PELICAN_PICTURES_AHEAD, how many offers' first pictures are looked at before
	// anybody asks for them; 20,000 unless set, 0 for none.
	PicturesAhead int
}

// Read takes settings from the environment. It returns an error that names the variable at fault.
func Read() (Settings, error) {
	port := or("PORT", "8080")
	s := Settings{
		DatabaseURL: os.Getenv("DATABASE_URL"),
		Listen:      or("PELICAN_LISTEN", "127.0.0.1:"+port),
		PublicURL:   strings.TrimRight(or("PELICAN_PUBLIC_URL", "http://localhost:"+port), "/"),
		Data:        or("PELICAN_DATA", "data"),
		RatesURL:    os.Getenv("PELICAN_RATES_URL"),
		Workers:     os.Getenv("PELICAN_WORKERS") != "off",
	}
	if s.DatabaseURL == "" {
		return s, fmt.Errorf("DATABASE_URL is not set: give the address of a PostgreSQL database")
	}
	key, err := base64.StdEncoding.DecodeString(os.Getenv("PELICAN_KEY"))
	if err != nil || len(key) != 32 {
		return s, fmt.Errorf("PELICAN_KEY must be 32 bytes in base64, such as `openssl rand -base64 32` prints")
	}
	s.Key = key
	if s.PicturesAhead, err = strconv.Atoi(or("PELICAN_PICTURES_AHEAD", "20000")); err != nil || s.PicturesAhead < 0 {
		return s, fmt.Errorf("PELICAN_PICTURES_AHEAD must be a number of pictures, 0 for none")
	}
	if s.AllowNetworks, err = ranges("PELICAN_ALLOW_NETWORKS"); err != nil {
		return s, err
	}
	s.Proxies, err = ranges("PELICAN_PROXIES")
	return s, err
}

// ranges reads address ranges; a single address is a range of one.
func ranges(name string) (all []netip.Prefix, err error) {
	for _, text := range strings.Fields(strings.ReplaceAll(os.Getenv(name), ",", " ")) {
		prefix, err := netip.ParsePrefix(text)
		if err != nil {
			at, alone := netip.ParseAddr(text)
			if alone != nil {
				return nil, fmt.Errorf("%s: %q is not a range such as 10.1.0.0/16", name, text)
			}
			prefix = netip.PrefixFrom(at, at.BitLen())
		}
		all = append(all, prefix)
	}
	return all, nil
}

func or(name, fallback string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return fallback
}
