// Incipit puts PDF documents on web pages. See README.md.
package main

import (
	"errors"
	"fmt"
	"os"
	"slices"
)

const usage = `usage: incipit COMMAND

  serve [--no-jobs]                serve with the configuration in the environment
  work                             work the jobs, beside servers with --no-jobs or without it
  version                          say which program this is
  secrets renew                    make another secret for seals; those of before open for a day
  demo [--dir DIR] [--port N]      serve the demo with a PostgreSQL of its own
  warm                             compile the PDF engine into its cache folder
  inspect FILE [--json]            say what a PDF is
  render FILE --page N --width W --out FILE.png
  text FILE --page N | --flow      print the text of a page, or the text view
  text FILE --dropped              print the running heads and page numbers it leaves out
  compare OLD NEW [--json]         say what became of the pages of a file in another edition of it
  report FILE [--json]             say what is wrong with a file for people who do not see its pages
  proof FILE [--settings S.json] --column W --viewport WxH [--json]
                                   say what readers get at a width
  migrate                          bring the database to this program's schema, and serve nobody
  backup FILE | --into FOLDER      write everything into one file, or beside earlier backups in
                                   a folder, where equal bytes lie once; while servers run or not
  backup check FILE|FOLDER         read backups as a whole, and say whether they can be restored
  backup prune FOLDER --keep N     remove all but the N newest of a folder
  restore FILE | FOLDER [NAME]     make an empty installation out of one, or the newest of a folder
  export DIR                       write everything that editors made for people to read
  import DIR                       take such a folder in, beside what is there
  account list | add EMAIL --name NAME | reset EMAIL | end EMAIL | suspend EMAIL | resume EMAIL | remove EMAIL
                                   who may sign in; a one-time address for a password; end sign-ins; let
                                   nobody sign in with it for a while, or any more
  examine N | failed               have documents examined again that could not be used
  checkhost FILE [--site URL] [--address URL] [--column W] [--json]
                                   say what keeps documents on a web page from showing

inspect, render, text, compare, report and proof take --password. What changes an installation can be said
with admin before it, too: incipit admin account list.
`

func main() {
	if len(os.Args) < 2 {
		fmt.Fprint(os.Stderr, usage)
		os.Exit(2)
	}
	args := os.Args[2:]
	if slices.ContainsFunc(args, func(a string) bool { return a == "-h" || a == "--help" }) {
		fmt.Print(usage)
		return
	}
	command := os.Args[1]
	if command == "admin" {
		if len(args) == 0 || !slices.Contains([]string{"account", "examine", "secrets", "migrate"}, args[0]) {
			fail(badUse{errors.New("admin: say account, examine, secrets or migrate, and what of it")})
		}
		command, args = args[0], args[1:]
	}
	var err error
	switch command {
	case "migrate":
		err = migrate(args)
	case "worker":
		err = worker(args)
	case "serve":
		err = serve(args)
	case "work":
		err = work(args)
	case "backup":
		err = backUp(args)
	case "restore":
		err = restoreFrom(args)
	case "export":
		err = export(args)
	case "import":
		err = takeIn(args)
	case "secrets":
		err = secrets(args)
	case "demo":
		err = runDemo(args)
	case "warm":
		err = warmUp()
	case "inspect":
		err = inspect(args)
	case "render":
		err = render(args)
	case "compare":
		err = compareFiles(args)
	case "report":
		err = reportOnFile(args)
	case "text":
		err = text(args)
	case "proof":
		err = runProof(args)
	case "account":
		err = accounts(args)
	case "examine":
		err = examine(args)
	case "checkhost":
		err = checkHost(args)
	case "version", "--version":
		fmt.Println(version())
	case "help", "-h", "--help":
		fmt.Print(usage)
	default:
		fmt.Fprintf(os.Stderr, "incipit: there is no command %q\n\n%s", command, usage)
		os.Exit(2)
	}
	if err != nil {
		fail(err)
	}
}
