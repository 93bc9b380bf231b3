/** The shells that completion is written for. */
export const shells = ["bash", "zsh", "fish"] as const;

/** A script that has a shell ask this program which words may follow. */
export function completionScript(shell: (typeof shells)[number]): string {
  return scripts[shell];
}

const scripts: Readonly<Record<(typeof shells)[number], string>> = {
  bash: `# Completion of levadura for bash.
_levadura() {
  local found
  COMPREPLY=()
  while IFS= read -r found; do
    COMPREPLY+=("$found")
  done < <(levadura completion words -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
}
complete -o default -F _levadura levadura
`,
  zsh: `#compdef levadura
# Completion of levadura for zsh.
_levadura() {
  local -a found
  found=("\${(@f)$(levadura completion words -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  if [[ -n "$found" ]]; then compadd -- $found; else _files; fi
}
if [[ "$funcstack[1]" == _levadura ]]; then _levadura "$@"; else compdef _levadura levadura; fi
`,
  fish: `# Completion of levadura for fish.
function __levadura_words
  levadura completion words -- (commandline -opc)[2..-1] (commandline -ct) 2>/dev/null
end
complete -c levadura -a '(__levadura_words)'
`,
};
