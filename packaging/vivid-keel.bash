# Completion of vivid-keel for bash.
_vivid_keel() {
  local word="${COMP_WORDS[COMP_CWORD]}" command="${COMP_WORDS[1]}"
  if [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W "app demo solve reduce moves archive verify-archive from-archive to-json from-json install-desktop --version --help" -- "$word")
    return
  fi
  case "$word" in
    -*)
      local options="--help"
      case "$command" in
        app) options="$options --debug" ;;
        demo) options="$options --write --debug" ;;
        solve) options="$options --batch" ;;
        reduce) options="$options --json --mm-per-root-setup" ;;
        moves) options="$options --json --task" ;;
        from-archive) options="$options --even-so --because" ;;
        from-json) options="$options --because" ;;
        install-desktop) options="$options --remove" ;;
      esac
      mapfile -t COMPREPLY < <(compgen -W "$options" -- "$word") ;;
    *)
      case "$command" in
        verify-archive) mapfile -t COMPREPLY < <(compgen -d -- "$word") ;;
        *) mapfile -t COMPREPLY < <(compgen -f -- "$word") ;;
      esac ;;
  esac
}
complete -o filenames -F _vivid_keel vivid-keel
