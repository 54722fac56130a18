#compdef belltone

_belltone_completion() {
  eval $(env _TYPER_COMPLETE_ARGS="${words[1,$CURRENT]}" _BELLTONE_COMPLETE=complete_zsh belltone)
}

compdef _belltone_completion belltone
