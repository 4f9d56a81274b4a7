package main

import (
	"context"
	"flag"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"ambertray/internal/connect"
	"ambertray/internal/database"
)

// cluster is a server whose table of specimens lies on other servers.
type cluster struct {
	title string
	url   string
	nodes []string
	// spread creates the table over some of the nodes.
	spread func(nodes []string) []string
	// tune are the settings that targets test proposes for a node, if any.
	tune func(node string) string
}

const maxNodes = 3

// measureClusters measures loads, merges and exports of a table on one, two and three other
// servers, with the settings that they have at first and, where there are some, with those
// that targets test proposes. Start it with ./bench/cluster.sh.
func measureClusters(args []string) error {
	flags := flag.NewFlagSet("cluster", flag.ExitOnError)
	program := flags.String("program", "ambertray", "the program to measure")
	dir := flags.String("dir", os.TempDir(), "where the data goes")
	records := flags.Int("records", 200_000, "records in the file")
	only := flags.String("only", "", "run only clusters whose name has this in it")
	err := flags.Parse(args)
	if err != nil {
		return err
	}
	b := &bench{program: *program, dir: *dir, data: filepath.Join(*dir, "specimens.csv"), records: *records}
	err = writeData(b.data, 0, b.records)
	if err != nil {
		return err
	}
	_, err = b.execute([]string{b.program, "draft", b.data, "--tray", filepath.Join(b.dir, "specimens.tray")})
	if err != nil {
		return err
	}
	fmt.Printf("%d records, thousands of records a second\n\n%-28s %8s %8s %8s %8s %8s\n", b.records, "", "counted", "proved", "merge", "verify", "export")
	for _, c := range clusters() {
		if !strings.Contains(c.title, *only) {
			continue
		}
		for n := 1; n <= maxNodes; n++ {
			err := b.measureCluster(c, n)
			if err != nil {
				return fmt.Errorf("%s on %d servers: %w", c.title, n, err)
			}
		}
	}
	return nil
}

func clusters() []*cluster {
	list := []*cluster{
		{title: "postgres_fdw", url: os.Getenv("AMBERTRAY_TEST_POSTGRES"), spread: spreadPostgres, tune: func(node string) string {
			return "ALTER SERVER " + node + " OPTIONS (ADD batch_size '1000', ADD fetch_size '10000', ADD async_capable 'true')"
		}},
		{title: "Spider", url: os.Getenv("AMBERTRAY_TEST_MYSQL"), spread: spreadSpider},
	}
	for i, kind := range []string{"POSTGRES", "MYSQL"} {
		for n := range maxNodes {
			list[i].nodes = append(list[i].nodes, os.Getenv(fmt.Sprintf("AMBERTRAY_NODE%d_%s", n+1, kind)))
		}
	}
	return list
}

// bareTable is the table of specimens without a key.
var bareTable = strings.Replace(createTable, ", PRIMARY KEY (specimen_id))", ")", 1)

func spreadPostgres(nodes []string) []string {
	list := []string{"DROP TABLE IF EXISTS specimens", "CREATE EXTENSION IF NOT EXISTS postgres_fdw", bareTable + " PARTITION BY HASH (specimen_id)"}
	for i, node := range nodes {
		u, _ := url.Parse(node)
		list = append(list, fmt.Sprintf("DROP SERVER IF EXISTS node%d CASCADE", i+1),
			fmt.Sprintf("CREATE SERVER node%d FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '%s', port '%s', dbname 'postgres')", i+1, u.Hostname(), u.Port()),
			fmt.Sprintf("CREATE USER MAPPING FOR CURRENT_USER SERVER node%d OPTIONS (user '%s')", i+1, u.User.Username()),
			fmt.Sprintf("CREATE FOREIGN TABLE specimens%d PARTITION OF specimens FOR VALUES WITH (MODULUS %d, REMAINDER %d) SERVER node%[1]d OPTIONS (table_name 'specimens')", i+1, len(nodes), i))
	}
	return list
}

func spreadSpider(nodes []string) []string {
	list := []string{"INSTALL SONAME 'ha_spider'", "DROP TABLE IF EXISTS specimens"}
	var partitions []string
	for i, node := range nodes {
		u, _ := url.Parse(node)
		list = append(list, fmt.Sprintf("CREATE OR REPLACE SERVER node%d FOREIGN DATA WRAPPER mysql OPTIONS (HOST '%s', PORT %s, USER '%s', DATABASE 'museum')", i+1, u.Hostname(), u.Port(), u.User.Username()))
		partitions = append(partitions, fmt.Sprintf(`PARTITION p%d COMMENT = 'srv "node%d"'`, i+1, i+1))
	}
	return append(list, fmt.Sprintf(`%s ENGINE = Spider DEFAULT CHARSET = utf8mb4 COMMENT = 'wrapper "mysql", table "specimens"' PARTITION BY KEY (specimen_id) (%s)`, createTable, strings.Join(partitions, ", ")))
}

// measureCluster prints a line for the settings at first, and one for those proposed.
func (b *bench) measureCluster(c *cluster, n int) error {
	ctx := context.Background()
	to, err := connect.Open(ctx, c.url, connect.Options{})
	if err != nil {
		return err
	}
	defer to.Close()
	for _, node := range c.nodes[:n] {
		err := onNode(ctx, node)
		if err != nil {
			return err
		}
	}
	for _, s := range c.spread(c.nodes[:n]) {
		_, err := to.Exec(ctx, s)
		if err != nil && !strings.HasPrefix(s, "INSTALL") { // which may be done
			return fmt.Errorf("%s: %w", s, err)
		}
	}
	err = b.timeCluster(ctx, c.title, to, c, n)
	if err != nil || c.tune == nil {
		return err
	}
	for i := range n {
		_, err := to.Exec(ctx, c.tune(fmt.Sprintf("node%d", i+1)))
		if err != nil {
			return err
		}
	}
	return b.timeCluster(ctx, c.title+", tuned", to, c, n)
}

// onNode creates the table of a node.
func onNode(ctx context.Context, url string) error {
	node, err := connect.Open(ctx, url, connect.Options{})
	if err != nil {
		return err
	}
	defer node.Close()
	engine := map[string]string{"mysql": " ENGINE = InnoDB DEFAULT CHARSET = utf8mb4"}[node.Dialect().Name]
	for _, s := range []string{"DROP TABLE IF EXISTS specimens", createTable + engine} {
		_, err := node.Exec(ctx, s)
		if err != nil {
			return err
		}
	}
	return nil
}

// timeCluster loads the table twice, merges into it, verifies and exports it.
func (b *bench) timeCluster(ctx context.Context, title string, to database.Target, c *cluster, n int) error {
	load := []string{b.program, "load", "specimens.tray", "--to", c.url, "--again", "--yes", "--existing"}
	fmt.Printf("%-28s", fmt.Sprintf("%s, %d servers", title, n))
	for _, step := range []struct {
		empty bool
		argv  []string
	}{
		{true, append(load, "append", "--verify", "counts")},
		{true, append(load, "append")},
		{false, append(load, "merge")},
		{false, []string{b.program, "verify", "specimens.tray", "--to", c.url}},
		{false, []string{b.program, "export", "specimens", "--from", c.url, "--out", b.data + ".out", "--replace"}},
	} {
		if step.empty {
			_, err := to.Exec(ctx, "DELETE FROM specimens")
			if err != nil {
				return err
			}
		}
		r, err := b.execute(step.argv)
		if err != nil {
			return err
		}
		fmt.Printf(" %8.0f", float64(b.records)/r.wall.Seconds()/1000)
	}
	fmt.Println()
	return nil
}
