;;; spindle.el --- sources of firmware with `spindle serve'  -*- lexical-binding: t; -*-
;; Put (load "…/spindle.el") into your init file. Part: spindle.yaml, `; part: avr-32k' at the top of a file, or `spindle-part'.
(require 'eglot)

(defvar spindle-command "spindle" "The tool, where it is not on the path.")
(defvar spindle-part nil "The part of files that say nothing of theirs.")

(define-derived-mode spindle-mode prog-mode "Spindle"
  "Assembly for the parts of Oak Spindle; the server knows the language."
  (setq-local comment-start "; " comment-start-skip ";+ *")
  (modify-syntax-entry ?\; "<") (modify-syntax-entry ?\n ">")
  (modify-syntax-entry ?_ "w") (modify-syntax-entry ?. "w"))

(defun spindle-server (&rest _)
  (list spindle-command "serve" "--language" :initializationOptions (when spindle-part (list :part spindle-part))))

(add-to-list 'auto-mode-alist '("\\.\\(asm\\|inc\\)\\'" . spindle-mode))
(add-to-list 'eglot-server-programs '(spindle-mode . spindle-server))
(add-hook 'spindle-mode-hook #'eglot-ensure)
(provide 'spindle)
